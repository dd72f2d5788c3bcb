"""All logs of a service, followed together: an appender's, and those at paths and patterns."""

from __future__ import annotations

import glob
import os
import re
import time
from collections.abc import Iterable
from itertools import count
from pathlib import Path

from msgspec import Struct

from vetrina.core.base import clocks
from vetrina.core.base.faults import Fault, Refused, offer
from vetrina.core.services.service import Log
from vetrina.core.sink_kinds.kind import full_path
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.forms import PlainText, Template
from vetrina.core.templates.language import BadTemplate
from vetrina.formats.sources import Layout
from vetrina.running.copies import Section
from vetrina.running.families import Family, seen_at
from vetrina.running.opening import Known
from vetrina.running.sections import Follower, Takes

_ODD = re.compile(r"[^A-Za-z0-9._-]+")
_PLAIN = re.compile(r"\.(log|txt|out)\Z")
_EVERY = 1.0


class LogKnown(Struct, frozen=True):
    """A log of a service's file: the family of an appender's files, or a pattern; and its layout, where that is known."""

    pattern: str
    family: Family | None
    name: str
    layout: Layout | None


class Followed(Struct):
    """A section with the number of its log in the service's file."""

    log: int
    section: Section


def logs_known(known: Known) -> list[LogKnown]:
    """Return the logs of a service; raise Refused for appenders and templates that there are not."""
    faults: list[Fault] = []
    found = [one for log in known.service.logs if (one := _log(log, known, faults)) is not None]
    if faults:
        raise Refused(faults)
    return found


def _log(log: Log, known: Known, faults: list[Fault]) -> LogKnown | None:
    try:
        "a\n".encode(log.encoding)
    except (LookupError, UnicodeError):
        faults.append(
            Fault("wrong-value", f'encoding "{log.encoding[:40]}" is not known', fix="write utf-8, or latin-1", place=log.place)
        )
        return None
    if not log.appender:
        template = None if log.template is None else _template(log, known, faults)
        path = os.path.normpath(os.path.join(known.service.folder, log.path))  # noqa: PTH118  (names as the system has them)
        return LogKnown(path, None, "", None if template is None else Layout(template, log.encoding))
    plan = known.plan
    if plan is None:
        what = "the log of an appender, and there is no plan"
        faults.append(Fault("missing-key", what, fix="write plan: plan.yaml, or path in place of appender", place=log.place))
        return None
    appender = plan.appenders.get(log.appender)
    if appender is None or appender.policy is None:
        what = (
            f'the plan has no appender "{log.appender[:60]}"'
            if appender is None
            else f'appender "{log.appender}" writes no file'
        )
        fix = offer(log.appender, [name for name, one in plan.appenders.items() if one.policy is not None])
        faults.append(Fault("undefined-appender", what, fix=fix, place=log.place))
        return None
    folder = os.path.abspath(plan.folder)  # noqa: PTH100  (as text, links left alone)
    path = full_path(appender.sink.file, folder)
    encoding = log.encoding if log.encoding != "utf-8" else appender.encoding
    layout = Layout(appender.template, encoding)
    return LogKnown(path, Family(path, appender.roll, folder, plan.zone), appender.name, layout)


def _template(log: Log, known: Known, faults: list[Fault]) -> Template | None:
    plan = known.plan
    if plan is not None and log.template in plan.templates:
        return plan.templates[log.template]
    setting = Setting(clocks.zone("UTC" if plan is None else plan.zone), known.words.separator)
    try:
        return PlainText("text", setting, None, (text_template(log.template or "", setting),))
    except BadTemplate as bad:
        faults += [
            Fault("bad-template", f"{one.what} at character {one.offset + 1}", fix=one.fix, place=log.place)
            for one in bad.faults
        ]
        return None


class Logs:
    """Follows all logs of a service; `begin` where they stand now, or `resume` from a state; `poll`, and `finish`."""

    def __init__(self, logs: list[LogKnown], folder: Path, takes: Takes = lambda _part, _data: None) -> None:
        self.logs, self.folder, self._takes = logs, folder, takes
        self.followed: list[Followed] = []
        self._followers: list[Follower] = []
        self._looked = 0.0

    def begin(self) -> None:
        """Note where every log stands."""
        for at, log in enumerate(self.logs):
            for path in self._paths(log, ()):
                self._follow(at, log, path).begin()
        self._looked = time.monotonic()

    def resume(self, followed: list[Followed]) -> None:
        """Go on from a state."""
        for one in followed:
            log = self.logs[one.log]
            self.followed.append(one)
            self._followers.append(Follower(log.family or Family(one.section.path), one.section, self.folder, self._takes))
            self._followers[-1].resume()

    def poll(self, *, final: bool = False) -> bool:
        """Take what has come; tell whether anything did."""
        if final or time.monotonic() - self._looked > _EVERY:
            self._newcomers()
        before = sum(one.section.size for one in self.followed)
        count = len(self.followed)
        for one in self._followers:
            one.poll()
        return sum(one.section.size for one in self.followed) != before or len(self.followed) != count

    def finish(self) -> None:
        """Take the rest, and end."""
        self.poll(final=True)
        for one in self._followers:
            one.finish()

    def close(self) -> None:
        """End without the rest."""
        for one in self._followers:
            one.close()

    def _follow(self, at: int, log: LogKnown, path: str) -> Follower:
        taken = {one.section.name for one in self.followed}
        wanted = _ODD.sub("_", log.name or Path(path).name).strip("._") or "log"
        wanted = _PLAIN.sub("", wanted)
        name = wanted if wanted not in taken else next(one for number in count(2) if (one := f"{wanted}-{number}") not in taken)
        section = Section(name, path)
        self.followed.append(Followed(at, section))
        self._followers.append(Follower(log.family or Family(path), section, self.folder, self._takes))
        return self._followers[-1]

    def _newcomers(self) -> None:
        """Follow the files that a pattern newly matches: they count whole."""
        self._looked = time.monotonic()
        for at, log in enumerate(self.logs):
            mine = [one.section for one in self.followed if one.log == at]
            for path in self._paths(log, [one.path for one in mine]):
                seen = seen_at(path)
                if seen is not None and not any(seen.id == piece.id for one in mine for piece in (*one.pieces, *one.known)):
                    self._follow(at, log, path)

    @staticmethod
    def _paths(log: LogKnown, known: Iterable[str]) -> list[str]:
        """Return the paths of a log that are not known yet; files whose names only go on after another's are its rolled ones."""
        if log.family is not None or not glob.has_magic(log.pattern):
            return [] if log.pattern in known else [log.pattern]
        found = sorted(name for name in glob.glob(log.pattern) if os.path.isfile(name))  # noqa: PTH113, PTH207
        bases = list(known)
        new: list[str] = []
        for name in found:  # a name comes before those that go on after it
            if not any(name.startswith(base) for base in (*bases, *new)):
                new.append(name)
        return new
