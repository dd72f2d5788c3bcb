"""Which files are searched, and how each of them is written."""

from __future__ import annotations

import glob
import os
from collections.abc import Iterable, Sequence
from datetime import date, timedelta
from functools import partial
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Fault, Unreadable, offer, refuse
from vetrina.core.base.quantities import duration
from vetrina.core.finding.file_names import Fit, NameReader, name_reader, written_order
from vetrina.core.plan.model import Appender, Plan
from vetrina.core.sink_kinds.kind import full_path
from vetrina.core.templates.forms import Template
from vetrina.formats.inputs import ENDINGS, InputFile, like_pattern, missing_file
from vetrina.formats.remote import is_url
from vetrina.formats.sources import Layout, Source


class Written(Struct, frozen=True):
    """What the call says of how its logs are written.

    ``appenders`` are those that the call names, in order; ``template`` stands in for a plan's.
    """

    plan: Plan | None = None
    appenders: tuple[str, ...] = ()
    template: Template | None = None
    encoding: str = ""
    day: date | None = None

    def layout(self, appender: Appender) -> Layout:
        """Return the layout of what an appender wrote."""
        return Layout(appender.template, self.encoding or appender.encoding, self.day)

    def asked(self) -> list[Appender]:
        """Return the appenders that files may belong to: those that are named, else all that write files."""
        if self.plan is None:
            return []
        names = self.appenders or [name for name, one in self.plan.appenders.items() if one.policy is not None]
        return [self.plan.appenders[name] for name in names]


class OnDisk(Struct, frozen=True):
    """A file of an appender that is there."""

    appender: str
    path: str


def files_on_disk(written: Written) -> tuple[list[OnDisk], list[tuple[str, str]]]:
    """Return the files of appenders that are there, each one's in the order in which they were written.

    With them come the appenders of which no file is there, each with its path.
    """
    found: list[OnDisk] = []
    without: list[tuple[str, str]] = []
    taken: set[str] = set()
    for one in written.asked():
        if one.policy is None or written.plan is None:
            raise refuse(f"{one.name} writes no file", fix="name the files, or another appender", where="--appender")
        here = [path for path in _files_of(one, written.plan) if os.path.realpath(path) not in taken]
        taken.update(map(os.path.realpath, here))
        found += [OnDisk(one.name, path) for path in here]
        if not here:
            without.append((one.name, one.sink.file))
    return found, without


def _files_of(appender: Appender, plan: Plan) -> list[str]:
    """Return an appender's files: the rolled ones in the order in which they were written, then the open one."""
    roll = appender.roll
    patterns = [roll.rename_to, roll.path] if roll.rename_to else [roll.path]
    found: dict[str, None] = {}
    for pattern in patterns:
        reader = name_reader(full_path(pattern.text, plan.folder), plan.zone)
        fits: list[tuple[str, Fit]] = []
        for name in glob.iglob(reader.looks(), include_hidden=True):  # noqa: PTH207  (names as the system has them)
            fit = reader.fit(name)
            if fit is not None and os.path.isfile(name):  # noqa: PTH113
                fits.append((name, fit))
        fits.sort(key=lambda one: (*written_order(one[1], newest_first=roll.newest_first), one[0]))
        found |= dict.fromkeys(name for name, _ in fits)
    return [_relative(one) for one in found]


def _relative(path: str) -> str:
    """Return a path as people write it here."""
    relative = os.path.relpath(path)
    return relative if not relative.startswith("..") else path


def files_named(names: Sequence[str]) -> list[InputFile]:
    """Return the files that are meant.

    A folder stands for all its files by name, but hidden ones; a text with `*`, `?` or `[` that is no file's name is a
    pattern. A file named twice is read once. Raise Unreadable with every one that is not there.
    """
    faults: list[Fault] = []
    found: dict[str, InputFile] = {}
    for text in names:
        several = _several(text, faults)
        for name in [text] if several is None else several:
            key = name if name == "-" or is_url(name) else os.path.realpath(name)
            if key in found:
                continue
            found[key] = InputFile(name, name)
            if several is None and name != "-" and not is_url(name) and not os.path.exists(name):  # noqa: PTH110
                faults.append(missing_file(name))
    if faults:
        raise Unreadable(faults)
    return list(found.values())


def _several(text: str, faults: list[Fault]) -> list[str] | None:
    """Return the files of a folder or of a pattern, None for what is neither."""
    if text == "-" or is_url(text):
        return None
    if os.path.isdir(text):  # noqa: PTH112
        with os.scandir(text) as entries:
            found = sorted(one.path for one in entries if not one.name.startswith(".") and one.is_file())
        if not found:
            faults.append(
                Fault(
                    "no-events", "there are no files in this folder", why="hidden ones and subfolders are left out", where=text
                )
            )
        return found
    return like_pattern(text, faults)


class Unknown(Struct, frozen=True):
    """A file of which neither its name nor the call tells how it is written."""

    file: InputFile


def sources_of(files: Sequence[InputFile], written: Written) -> list[Source | Unknown]:
    """Return files as sources, by what the call says of them; raise Refused where that is not clear."""
    faults: list[Fault] = []
    found = [_source(one, written, faults) for one in files]
    if faults:
        raise Unreadable(faults)
    return found


def _source(file: InputFile, written: Written, faults: list[Fault]) -> Source | Unknown:
    fitting = _fitting(file.name, written)
    if len(fitting) > 1:
        names = ", ".join(one.name for one in fitting)
        faults.append(Fault("call", f"this file may be of {names}", fix="name one of them with --appender", where=file.name))
        return Unknown(file)
    if fitting:
        return Source(file, written.layout(fitting[0]), appender=fitting[0].name)
    if file.name.endswith(ENDINGS):
        return Source(file)
    if written.template is not None:
        return Source(file, Layout(written.template, written.encoding or "utf-8", written.day))
    if not written.appenders:
        return Unknown(file)
    one = _taking_the_rest(file.name, written)
    if one is None:
        fix = f"name its appender alone, or call it like the files of {' or '.join(written.appenders)}"
        faults.append(Fault("call", "which of the appenders wrote this file?", fix=fix, where=file.name))
        return Unknown(file)
    return Source(file, written.layout(one), appender=one.name, named=Path(file.name).name.startswith(one.name))


def _taking_the_rest(name: str, written: Written) -> Appender | None:
    """Return the named appender that a file belongs to though no path says so: the only one, or the only one without files."""
    asked = written.asked()
    without = asked if len(asked) == 1 else [one for one in asked if one.policy is None]
    alike = [one for one in without if Path(name).name.startswith(one.name)]
    return without[0] if len(without) == 1 else alike[0] if len(alike) == 1 else None


def _fitting(name: str, written: Written) -> list[Appender]:
    """Return the appenders one of whose files a name may be: by its whole path, else by its last part."""
    if written.plan is None or name == "-":
        return []
    patterns = [(one, reader) for one in written.asked() if one.policy is not None for reader in _readers(one, written.plan)]
    for place, part in ((full_path(name, os.getcwd()), _as_it_is), (Path(name).name, NameReader.last_part)):  # noqa: PTH109
        fitting = {one.name: one for one, reader in patterns if part(reader).fit(place) is not None}
        if fitting:
            alike = {id(one.template) for one in fitting.values()}
            return list(fitting.values())[:1] if len(alike) == 1 else list(fitting.values())
    return []


def _as_it_is(reader: NameReader) -> NameReader:
    return reader


def _readers(appender: Appender, plan: Plan) -> Iterable[NameReader]:
    roll = appender.roll
    whole = partial(full_path, folder=os.path.abspath(plan.folder))  # noqa: PTH100  (as text, links left alone)
    return [name_reader(whole(one.text), plan.zone) for one in (roll.path, roll.rename_to) if one is not None]


def shifted(sources: Sequence[Source], shifts: Iterable[str]) -> list[Source]:
    """Return sources with the clocks of some set right; raise Refused for a shift that is none, or of no source."""
    found = list(sources)
    for text in shifts:
        name, equals, span = text.rpartition("=")
        if not equals:
            raise refuse("this is not FILE=DURATION", fix="write --shift desk.log=2s, or -2s", where=f"--shift {text}")
        moved = [at for at, one in enumerate(found) if name in {one.name, Path(one.name).name}]
        if not moved:
            known = [one.name for one in sources]
            raise refuse(f'no source is called "{name[:80]}"', fix=offer(name, known), where="--shift")
        for at in moved:
            found[at] = replace(found[at], shift=_span(span, text))
    return found


def _span(text: str, where: str) -> timedelta:
    back = text.strip().startswith("-")
    try:
        found = duration(text.strip().removeprefix("-").removeprefix("+"))
    except NotUnderstood as reason:
        raise refuse(str(reason), where=f"--shift {where}") from None
    return -found if back else found
