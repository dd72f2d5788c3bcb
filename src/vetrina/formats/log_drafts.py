"""The layout of a log that nobody told: drafted from its own lines, and measured by reading them with it."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator, Sequence
from datetime import UTC, date, datetime, timedelta
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.events import Event
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.levels import Scale
from vetrina.core.config.dump import yaml_text
from vetrina.core.layouts.columns import csv_draft, json_draft, pairs_draft, source_of
from vetrina.core.layouts.drafts import Draft, standard_draft, text_drafts
from vetrina.core.templates.compiling import Setting
from vetrina.core.templates.forms import JsonObjectForm, PairsLine, Template
from vetrina.core.templates.reading_times import dated, yearless
from vetrina.formats.inputs import InputFile
from vetrina.formats.log_samples import ANY_DAY, Sample, as_stream, filled, sampled
from vetrina.formats.plans import read_resolved_plan
from vetrina.formats.sources import Layout

_NAME = "drafted"
_ALIKE = 0.005
_MOST_FILES = 20
_MOST_KEPT = 400


class Drafted(Struct, frozen=True):
    """A drafted layout, and how it does on the lines that were looked at.

    ``plan`` is what it can be kept with: a plan that has an appender `drafted`, or nothing; ``read`` of ``lines`` lines are read (empty ones do
    not count), ``whole`` tells whether these are all. ``events`` are some, ``others`` texts of layouts that read as much.
    """

    draft: Draft
    layout: Layout
    scale: Scale
    plan: str
    read: int
    lines: int
    whole: bool
    events: tuple[Event, ...]
    others: tuple[str, ...]
    doubts: tuple[str, ...]

    @property
    def text(self) -> str:
        """Return what can be kept: the template, or a plan where that alone is not enough; for pairs which name is what."""
        if self.draft.form == "pairs":
            return "".join(f"{source_of(member)}: {name}\n" for name, member in self.draft.members.items())
        return self.plan if self.template is None else self.template

    @property
    def template(self) -> str | None:
        """Return the template where that alone is enough to read it, else None."""
        return self.draft.text if self.draft.form == "text" and not self.draft.levels else None

    @property
    def dated(self) -> bool:
        """Whether its times have a day: their own, or one that is given."""
        times = [one for one in self.layout.template.placeholders if one.source == "time"]
        return self.draft.form != "text" or self.layout.day is not None or any(map(dated, times))

    @property
    def share(self) -> float:
        """Return how large a part of the lines is read."""
        return self.read / self.lines if self.lines else 1.0


class _Trial(Struct):
    draft: Draft
    template: Template
    scale: Scale
    read: int = 0
    lines: int = 0
    turns: int = 0
    span: timedelta = timedelta(0)
    events: list[Event] = []
    first_last: tuple[datetime, datetime] | None = None

    def days_from(self, time: datetime) -> int:
        """Return how many days lie between its last time and another one."""
        return 0 if self.first_last is None else abs((self.first_last[1] - time).days)


def drafted(
    files: Sequence[InputFile], *, zone: str = "UTC", separator: str = "", encoding: str = "", day: date | None = None
) -> Drafted:
    """Return the likeliest layout of logs that are alike; raise Refused where no time stands in them, or no line."""
    file = files[0]
    sample = _joined([sampled(one, encoding) for one in files[:: -(-len(files) // _MOST_FILES)]])
    lines = [line for line in sample.lines if line.strip()]
    if not lines:
        raise refuse("it has no lines to draft a layout from", fix="give --template, or --plan and --appender", where=file.name)
    trials = [_tried(one, sample, zone, separator, day) for one in _drafts(lines)]
    if not trials or not any(one.read for one in trials):
        raise refuse(
            "no layout is found in its lines", f"no time stands in most of the {len(lines):,} that were looked at",
            "give --template, or --plan and --appender", where=file.name,
        )  # fmt: skip
    written = _written(file)
    trials.sort(
        key=lambda one: (-round(one.read / one.lines / _ALIKE), one.turns, one.span, -one.draft.weight, one.days_from(written))
    )
    best = trials[0]
    alike = [
        one for one in trials[1:]
        if one.read >= best.read and one.draft.weight >= best.draft.weight and one.draft.text != best.draft.text
        and (one.turns, one.span) == (best.turns, best.span)
    ]  # fmt: skip
    return _made(best, alike, sample, file, day)


def fits(one: Drafted, file: InputFile) -> bool:
    """Tell whether a layout that was drafted from another log reads this one as well."""
    sample = sampled(file, one.layout.encoding)
    trial = _Trial(one.draft, one.layout.template, one.scale)
    for run in sample.runs:
        _read_run(trial, run, one.layout.day)
    return trial.lines > 0 and trial.read == trial.lines


def _joined(samples: Sequence[Sample]) -> Sample:
    """Return samples of several files as one."""
    return replace(samples[0], runs=[run for one in samples for run in one.runs], whole=all(one.whole for one in samples))


def _drafts(lines: Sequence[str]) -> list[Draft]:
    whole = [one for one in (json_draft(lines), standard_draft(lines), csv_draft(lines)) if one is not None]
    pairs = pairs_draft(lines)
    return whole or [*text_drafts(lines), *([pairs] if pairs else [])]


def plan_of(draft: Draft, zone: str, separator: str) -> dict[str, Any]:
    """Return a plan that has a drafted template, as that of an appender called `drafted`."""
    template: Any = draft.text
    if draft.form in {"json", "pairs"}:
        template = {"as": "json", "members": draft.members, "omit-empty": True}
    elif draft.form == "csv":
        template = {"as": "csv", "columns": draft.columns, "header": draft.header}
    elif draft.form == "syslog":
        template = {"as": "syslog", "text": draft.text}
    plan: dict[str, Any] = {"vetrina": 1}
    if zone != "UTC":
        plan["zone"] = zone
    if (separator or draft.separator) != ".":
        plan["separator"] = separator or draft.separator
    if draft.levels:
        plan["levels"] = draft.levels
    return plan | {"templates": {_NAME: template}, "appenders": {_NAME: {"sink": "none", "template": _NAME}}}


def _tried(draft: Draft, sample: Sample, zone: str, separator: str, day: date | None) -> _Trial:
    """Return how a draft reads the lines of a sample."""
    try:
        plan = read_resolved_plan(_NAME, texts={_NAME: _literal(plan_of(draft, zone, separator))}, by="-").plan
        template = plan.appenders[_NAME].template
        if draft.form == "pairs" and isinstance(template, JsonObjectForm):
            template = PairsLine("pairs", template.setting, members=template.members, omit_empty=True)
        trial = _Trial(draft, template, plan.scale)
        for run in sample.runs:
            _read_run(trial, run, day)
    except Refused:  # two of its parts collide
        return _Trial(draft, Template("text", Setting()), Scale(), lines=1)
    return trial


def _literal(plan: dict[str, Any]) -> str:
    return json.dumps(plan).replace("${", "$${")


def _read_run(trial: _Trial, run: Sequence[str], day: date | None) -> None:
    first = not trial.lines
    reader = Layout(trial.template, "utf-8", day or ANY_DAY).reader()
    before: datetime | None = None
    for event in reader.read(as_stream(run), "a sample"):
        if before is not None and event.time < before - timedelta(hours=1):
            trial.turns += 1
        before = event.time
        if len(trial.events) < _MOST_KEPT:
            trial.events.append(event)
        least, most = trial.first_last or (before, before)
        trial.first_last = min(least, before), max(most, before)
    lines = filled(run)
    head = 0 if first else reader.unfit_before  # the rest of an event before it
    trial.lines += lines - head
    trial.read += lines - reader.misfits
    if trial.first_last:
        trial.span = trial.first_last[1] - trial.first_last[0]


def _made(best: _Trial, alike: Sequence[_Trial], sample: Sample, file: InputFile, day: date | None) -> Drafted:
    doubts = [*best.draft.doubts]
    if alike:
        doubts.append(
            "another layout reads as much (day before month?)"
            if _differ_in_time(best, alike)
            else "another layout reads as much"
        )
    if sample.guessed:
        doubts.append(f"its text is read as {sample.guessed} (--encoding names another)")
    times = [one for one in best.template.placeholders if one.source == "time"]
    if day is None and times and all(map(yearless, times)):
        year = _year_of(file, best)
        day = date(year, 1, 1)
        doubts = [one for one in doubts if one != "its times have no year"]
        doubts.append(f"its times have no year: {year} is taken, from when the file was last written (--date says another)")
    elif any(map(dated, times)):
        day = None
    layout = Layout(best.template, sample.encoding, day)
    if day is not None:
        again = replace(best, events=[])
        _read_run(again, sample.runs[0], day)
        best.events = again.events
    others = tuple(dict.fromkeys(one.draft.text for one in alike))
    return Drafted(
        best.draft, layout, best.scale, _plan_of(best), best.read, best.lines, sample.whole, tuple(_some(best.events)), others,
        tuple(doubts),
    )  # fmt: skip


def _differ_in_time(best: _Trial, alike: Sequence[_Trial]) -> bool:
    """Tell whether the times of layouts are read in different ways."""
    ways = [[one.steps for one in trial.template.placeholders if one.source == "time"] for trial in (best, *alike)]
    return any(one != ways[0] for one in ways)


def _plan_of(trial: _Trial) -> str:
    """Return the plan that a layout is kept with, nothing where no plan can say it."""
    draft, setting = trial.draft, trial.template.setting
    if draft.form == "pairs":
        return ""
    zone = getattr(setting.zone, "key", "UTC")
    return "".join(f"{line}\n" for line in _yaml(plan_of(draft, zone, setting.separator)))


def _yaml(value: dict[str, Any], lead: str = "") -> Iterator[str]:
    for name, one in value.items():
        key = f"{lead}{yaml_text(str(name))}:"
        if isinstance(one, dict):
            yield key
            yield from _yaml(one, lead + "  ")
        else:
            yield f"{key} {yaml_text(one.replace('${', '$${')) if isinstance(one, str) else json.dumps(one)}"


def _some(events: Sequence[Event]) -> list[Event]:
    """Return up to three events: the first, one with an error or fields, one of a grave level."""
    found = list(events[:1])
    for wanted in (
        lambda one: one.error is not None,
        lambda one: one.fields,
        lambda one: one.level in {"error", "warn"},
        lambda _: True,
    ):
        further = next((one for one in events[1:] if one not in found and wanted(one)), None)
        if further is not None and len(found) < 3:
            found.append(further)
    return sorted(found, key=lambda one: one.time)


def _written(file: InputFile) -> datetime:
    """Return when a file was last written, now for what is no file."""
    try:
        return datetime.fromtimestamp(os.stat(file.path).st_mtime, UTC)  # noqa: PTH116
    except (OSError, ValueError):
        return datetime.now(UTC)


def _year_of(file: InputFile, trial: _Trial) -> int:
    """Return the year of the first line of a log that shows none, from when it was last written."""
    written = _written(file)
    if trial.first_last is None:
        return written.year
    first, last = trial.first_last
    ends = written.year - ((last.month, last.day) > (written.month, written.day))
    return ends - (last.year - first.year)
