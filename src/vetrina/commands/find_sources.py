"""What a call of `find` searches: its sources, and its conditions compiled."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from vetrina.commands import calling
from vetrina.commands.drafting import note_drafts
from vetrina.commands.find_call import Call
from vetrina.commands.reading import reading
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.events import NOT_TEXT
from vetrina.core.base.faults import Refused, refuse
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.quantities import duration
from vetrina.core.finding.asked import Asked
from vetrina.core.finding.journeys import GROUP, Shared
from vetrina.formats.documents import yaml_value
from vetrina.formats.inputs import ENDINGS, PACKED, InputFile, Inputs
from vetrina.formats.log_samples import ENOUGH, holds_no_event, reads_nothing, share_of_events
from vetrina.formats.opening import only_once
from vetrina.formats.sources import Source
from vetrina.work.asked import known_appenders, level_range
from vetrina.work.conditions import conditions_of, expressions_of
from vetrina.work.finding import Search, last_time
from vetrina.work.jobs import Engine
from vetrina.work.logs_given import day_given, encoding_given, form_given, setting_given
from vetrina.work.sources import Unknown, Written, files_named, files_on_disk, shifted, sources_of

if TYPE_CHECKING:
    from vetrina.formats.log_drafts import Drafted


@contextmanager
def opened(call: Call) -> Iterator[tuple[Written, Search, Engine | None]]:
    """Yield how the logs of a call are written, and the search that it asks for; files stay as they are meanwhile, or that is told."""
    written = written_by(call)
    if call.follow and "-" in (call.sources or []):
        raise refuse("standard input is shown as it comes, and ends by itself", fix="leave --follow out", where="--follow")
    _asked(call)  # what is wrong there is told before a long reading
    files = _files(call, written)
    inputs = Inputs(tuple(files), files[0].name if len(files) == 1 else f"{len(files)} files")
    with _kept(call, inputs) as there:
        sources = shifted(_known(sources_of(there.parts, written), call, written), call.shift)
        refuse_unused(call, sources)
        if call.follow:
            _can_grow(sources)
        search = _search(call, tuple(sources), _asked(call))
        with reading(there, _workers(call, search), "", prints=True) as engine:
            yield written, search, engine


def newcomers(call: Call, written: Written, search: Search) -> Callable[[], list[Source]]:
    """Return what gives the files that are there by now where the call names a folder, a pattern or a plan."""
    gathers = not call.sources or any(name not in {one.name for one in search.sources} for name in call.sources)
    names = {one.name for one in search.sources}

    def found() -> list[Source]:
        if not gathers:
            return []
        try:
            new = [one for one in _files(call, written) if one.name not in names]
            names.update(one.name for one in new)
            return _known(sources_of(new, written), call, written)
        except Refused:  # nothing is there any more, or not yet
            return []

    return found


def written_by(call: Call) -> Written:
    """Return what a call says of how its logs are written; its plan is read."""
    if call.plan is not None:
        call.read = call.given.read(call.plan).plan
        known_appenders(call.read, call.appender, "--appender")
    if call.given_zone is not None:
        setting_given(call.given_zone)
    form = None if call.template is None else form_given(call.template, call.setting)
    return Written(call.read, tuple(dict.fromkeys(call.appender)), form, encoding_given(call.encoding), day_given(call.day))


def _files(call: Call, written: Written) -> list[InputFile]:
    """Return the files that are searched: those that are named, else those of the plan that are there."""
    if call.sources:
        return files_named(call.sources)
    found, without = files_on_disk(written)
    if not found:
        places = ", ".join(path for _, path in without[:4])
        raise refuse("none of the plan's files is on this disk", f"looked for {places}", "name the files, or run it where they are", where=str(call.plan))  # fmt: skip
    return [InputFile(one.path, one.path) for one in found]


@contextmanager
def _kept(call: Call, inputs: Inputs) -> Iterator[Inputs]:
    """Yield inputs that can be read as often as the call needs."""
    again = call.between or call.since or call.until or not (call.template or call.appender)
    if again and inputs.only_once and not call.follow:
        with calling.again_and_again(inputs) as kept:
            yield kept
    else:
        yield inputs


def _workers(call: Call, search: Search) -> str:
    """Return how many processes a search may have; refuse several where one must read on from what it knows."""
    if search.apart and not call.follow:
        return call.workers
    if call.workers not in {"auto", "1"}:
        raise refuse(
            "this search is done by one process", "what it shows hangs on what stands before, or on the order of several sources",
            "leave --workers out", where=f"--workers {call.workers}",
        )  # fmt: skip
    return "1"


def _known(found: Sequence[Source | Unknown], call: Call, written: Written) -> list[Source]:
    """Return sources; the layouts of those of which nobody told it are drafted, and that is said."""
    drafts: list[tuple[str, Drafted]] = []
    known = [
        one if isinstance(one, Source) and not _misnamed(one, written) else _drafted(one.file, call, written, drafts)
        for one in found
    ]
    call.short = note_drafts(drafts)
    separators = {one.layout.template.setting.separator for one in known if one.layout is not None}
    if drafts and call.plan is None and call.separator is None and len(separators) == 1:
        (call.separator,) = separators
    return known


def _misnamed(one: Source, written: Written) -> bool:
    """Tell whether a file is called like events and has none among its first lines, or is of another layout than is likely."""
    if one.layout is not None and not one.named and not only_once(one.file.path):
        return reads_nothing(one.layout, one.file)
    called = one.layout is None and written.template is None and one.file.name.endswith(ENDINGS)
    return called and not only_once(one.file.path) and holds_no_event(one.file)


def _drafted(file: InputFile, call: Call, written: Written, drafts: list[tuple[str, Drafted]]) -> Source:
    if share_of_events(file) >= ENOUGH:
        return Source(file)
    from vetrina.formats.log_drafts import drafted, fits  # noqa: PLC0415  (a hundred expressions, for drafts only)

    alike = {id(one): one for name, one in drafts if _stem(name) == _stem(file.name)}  # such as the files of one roll
    found = next((one for one in alike.values() if fits(one, file)), None)
    if found is None:
        separator = call.separator or ("" if call.read is None else call.read.separator)
        found = drafted([file], zone=call.zone_name, separator=separator, encoding=call.encoding, day=written.day)
    drafts.append((file.name, found))
    return Source(file, found.layout)


def _stem(name: str) -> str:
    return re.sub(r"\d+", "", name.removesuffix(Path(name).suffix if name.endswith(PACKED) else ""))


def _can_grow(sources: Sequence[Source]) -> None:
    """Refuse sources that cannot be followed: where none grows, and where a line's end has several bytes."""
    if not any(one.grows for one in sources):
        raise refuse("none of these files can grow", "packed files and URLs stay as they are", "leave it out", where="--follow")
    for one in sources:
        if one.layout is not None and len("\n".encode(one.layout.encoding)) > 1:
            raise refuse(
                f"{one.layout.encoding} cannot be followed",
                "its lines end with several bytes",
                "leave it out",
                where="--follow",
            )


def refuse_unused(call: Call, sources: list[Source]) -> None:
    """Refuse options that say how logs are written where there are none."""
    layouts = [one.layout for one in sources if one.layout is not None]
    if call.day and layouts and all(one.apart for one in layouts):
        raise refuse("--date has no effect: the times in these logs have a day", fix="leave it out", where="--date")
    if layouts:
        return
    for option, value in {
        "--template": call.template,
        "--encoding": call.encoding,
        "--date": call.day,
        "--appender": call.appender,
    }.items():
        if value:
            raise refuse(f"{option} has no effect: these are files of events", fix="leave it out", where=option)


def _search(call: Call, sources: tuple[Source, ...], asked: Asked) -> Search:
    latest: list[datetime | None] = []

    def instant(text: str, option: str) -> datetime | None:
        span = _span(text)
        if span is None:
            return calling.moment(text, call.zone_name, option) if text else None
        if any(one.name == "-" for one in sources):
            raise refuse(
                "how long ago is counted from the last event",
                "standard input is not at its end yet",
                "give a time",
                where=option,
            )
        if not latest:
            latest.append(last_time(sources, call.scale))
        try:
            return None if latest[0] is None else latest[0] - span
        except OverflowError:
            return datetime.min.replace(tzinfo=latest[0].tzinfo) if latest[0] else None

    asked = replace(asked, since=instant(call.since, "--since"), until=instant(call.until, "--until"))
    if asked.since is not None and asked.until is not None and asked.since >= asked.until:
        raise refuse(
            "nothing lies between --since and --until",
            f"{call.since} is not before {call.until}",
            "turn them round",
            where="--since",
        )
    first, second = call.between or ("", "")
    marks = expressions_of((first, second), "--between") if call.between else ()
    return Search(
        sources, call.scale, asked, call.around, call.first, call.last, (marks[0], marks[1]) if marks else None, call.as_is,
        call.copy is not None, **_wanted(call),
    )  # fmt: skip


def _wanted(call: Call) -> dict[str, Any]:
    """Return what the view of a call needs of its hits."""
    templates = [call.as_ or "", *("{" + one + "}" for one in call.columns.split(","))]
    return {
        "in_order": not call.count_by or call.taps,
        "clocked": bool(call.journey or call.journey_in or call.blocks),
        "numbered": any("sequence" in one for one in templates),
    }


def _span(text: str) -> timedelta | None:
    """Return the span that a text means, None for one that may be a time."""
    try:
        return duration(text) if text else None
    except NotUnderstood:
        return None


def shared_by(call: Call) -> Shared | None:
    """Return where the value of journeys stands, None where none are wanted."""
    if not call.journey and not call.journey_in:
        return None
    expression = None
    if call.journey_in:
        (expression,) = expressions_of([call.journey_in], "--journey-in")
        if GROUP not in expression.groups:
            raise refuse("the expression has no group `it`", fix=r"write --journey-in 'ride (?P<it>\d+)'", where="--journey-in")
    return Shared(call.journey.partition("=")[0], expression)


def _asked(call: Call) -> Asked:
    separator = call.setting.separator
    _, wants_one, value = call.journey.partition("=")
    shared = shared_by(call)
    fields = []
    for text in call.field:
        name, value = calling.key_value(text, "--field")
        fields.append((name, yaml_value(value, f"--field {text}")))
    for option, given in (("--text", call.text), ("--thread", [call.thread or ""]), ("--journey", [call.journey])):
        if any(map(NOT_TEXT.search, given)):
            raise refuse("these bytes are no UTF-8, so no event can hold them", fix="write the text in UTF-8", where=option)
    return Asked(
        tuple(map(tree_name, call.logger)),
        tuple(map(tree_name, call.not_logger)),
        level_range(call.scale, call.level, "--level"),
        expressions_of(call.message, "--message", ignore_case=call.ignore_case),
        tuple(call.text),
        call.ignore_case,
        call.thread,
        tuple(fields),
        call.error,
        conditions_of(call.keep, call.scale, separator, "--keep"),
        conditions_of(call.drop, call.scale, separator, "--drop"),
        separator=separator,
        shared=shared,
        shared_value=value if wants_one else None,
    )
