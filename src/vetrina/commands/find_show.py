"""What `find` shows of what it found, and the sentence at its end."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import nullcontext, suppress

import typer

from vetrina.commands import calling
from vetrina.commands.find_call import Call, named_by
from vetrina.commands.find_end import remark_unreadable, summary
from vetrina.commands.find_lines import JsonMaker, shower
from vetrina.commands.find_sources import newcomers, written_by
from vetrina.commands.find_taps import taps
from vetrina.commands.unknown_names import unknown_lines
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import refuse
from vetrina.core.base.logger_names import ROOT
from vetrina.core.finding.blocks import Blocks, Bounds
from vetrina.core.finding.counts import CountsMaker
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.folds import folded
from vetrina.core.finding.journeys import Shared, journeys
from vetrina.formats.opening import only_once
from vetrina.views import found_tables as tables
from vetrina.views.documents import find as documents
from vetrina.views.screen import Line, Span
from vetrina.work.conditions import expressions_of
from vetrina.work.finding import Finding, Search, Searched
from vetrina.work.following import Following
from vetrina.work.jobs import Engine
from vetrina.work.known_names import AskedName
from vetrina.work.parts import batched
from vetrina.work.sources import Written, files_on_disk
from vetrina.work.standing import standing_files

_DRAWN = 20_000
_Entries = Iterator[Entry]


def show_where(call: Call) -> None:
    """Show the files that a plan's appenders have on this disk."""
    written = written_by(call)
    found, without = files_on_disk(written)
    told = documents.FindWhere(standing_files(found, written), [documents.NoFile(*one) for one in without])
    if call.json:
        calling.print_json(told)
    else:
        calling.print_fitted(tables.where_lines(told, call.zone, call.width), call.width)


def show(call: Call, written: Written, search: Search, engine: Engine | None) -> None:
    """Show what a search finds, as the call wants it; end with 1 where something is wanting."""
    begun, wanting = time.monotonic(), False
    finding = Following(search, newcomers(call, written, search)) if call.follow else Finding(search, engine)
    with taps(call, search) as tapped, suppress(KeyboardInterrupt) if call.follow else nullcontext():
        wanting = _view(call)(call, finding, tapped(finding.entries()))
    sys.stdout.flush()
    unreadable = remark_unreadable(finding)
    calling.remark(summary(finding, time.monotonic() - begun))
    hits = sum(finding.hits)
    if not call.follow:
        calling.remark(_unknown(call, search, hits))
    if wanting or unreadable or call.short or (call.fail_on == "none" and not hits) or (call.fail_on == "some" and hits):
        raise typer.Exit(calling.Exit.WANTING)


def _unknown(call: Call, search: Search, hits: int) -> list[Line]:
    """Return which names in the call no event of the sources has: all where nothing was found, else those beside which others were."""
    asked, sources = search.asked, [one for one in search.sources if not only_once(one.file.path)]
    names = [AskedName("--not-logger", one) for one in asked.not_loggers]
    if not hits or len(asked.loggers) > 1:
        names += [AskedName("--logger", one) for one in asked.loggers]
    if not hits:
        names += [AskedName("--field", one, is_field=True) for one, _ in asked.fields]
    if not hits and asked.shared is not None and asked.shared.field:
        names.append(AskedName("--journey", asked.shared.field, is_field=True))
    if not names or not sources:
        return []
    known = () if call.read is None else (ROOT, *call.read.loggers)
    label = sources[0].name if len(sources) == 1 else f"{len(sources)} sources"
    return unknown_lines(names, known, sources, label, search.scale, asked.separator)


def _view(call: Call) -> Callable[[Call, Searched, _Entries], bool]:
    """Return what shows the entries of a search, and tells whether something is wanting."""
    if call.count_by:
        return _counts
    if call.journey or call.journey_in:
        return _journeys
    if call.blocks:
        return _blocks
    return _folded if call.fold else _events


def _counts(call: Call, finding: Searched, entries: _Entries) -> bool:
    by = call.by()
    make = CountsMaker(by, call.scale, call.zone, tuple(finding.names))
    counts = make.empty()
    if isinstance(finding, Finding) and finding.shares and not call.taps:
        for one in finding.made(make):
            counts.add(one)
    else:
        counts.feed(entries)
    if call.json:
        calling.print_json(documents.counts_document(counts))
    else:
        calling.print_lines(tables.count_lines(counts, [one.title for one in by], call.width))
    return False


def _journeys(call: Call, finding: Searched, entries: _Entries) -> bool:
    asked = finding.search.asked
    if asked.shared_value is not None:
        return _one_journey(call, finding, asked.shared_value, entries)
    if asked.shared is None:
        return False
    try:
        found = journeys(entries, asked.shared.value, call.scale)
    except NotUnderstood as reason:
        raise refuse(str(reason), fix="ask for less: --since, --until, --logger", where="--journey") from None
    _note_bounds(call)
    if call.json:
        calling.print_json(documents.journeys_document(found, finding.names, call.scale))
    elif found:
        calling.print_lines(tables.journey_lines(found, finding.names, call.scale, call.zone, call.width))
    else:
        calling.remark(["no event has such a value"])
    return False


def _note_bounds(call: Call) -> None:
    """Say of what goes on over time that a part of it may lie outside of what was asked for."""
    bounds = [
        option for option, value in (("--since", call.since), ("--until", call.until), ("--between", call.between)) if value
    ]
    if bounds:
        words = f"only events within {' and '.join(bounds)} count: what began before, or goes on after, is cut off there"
        calling.remark([[Span("note: ", "quiet"), Span(words)]])


def _one_journey(call: Call, finding: Searched, value: str, entries: Iterable[Entry]) -> bool:
    if call.json:
        return _events(call, finding, iter(entries))
    found = list(entries)
    if found:
        calling.print_lines(tables.journey_events(value, found, finding.names, call.scale, call.zone, call.width))
    return False


def _per(call: Call, names: list[str]) -> Callable[[Entry], object]:
    if not call.per:
        return lambda _entry: None
    by = named_by(call.per, "--per", ("thread", "from"))
    if by.kind == "thread":
        return lambda entry: None if entry.event.thread is None else str(entry.event.thread)
    if by.kind == "from":
        return lambda entry: names[entry.source]
    value = Shared(by.field).value
    return lambda entry: value(entry.event)


def _blocks(call: Call, finding: Searched, entries: _Entries) -> bool:
    begin, end = expressions_of(call.blocks or (), "--blocks")
    blocks = Blocks(Bounds(begin, end), _per(call, finding.names), keeps=_DRAWN if call.plot else 0)
    blocks.feed(entries)
    blocks.close()
    _note_bounds(call)
    if call.json:
        calling.print_json(documents.blocks_document(blocks, finding.names))
    else:
        calling.print_fitted(tables.block_lines(blocks, finding.names, call.width), call.width)
    if call.plot:
        from vetrina.commands.find_plots import draw_blocks  # noqa: PLC0415  (Matplotlib, for pictures only)

        draw_blocks(call, blocks)
    return bool(blocks.broken)


def _folded(call: Call, finding: Searched, entries: _Entries) -> bool:
    found = folded(entries, call.scale)
    if call.json:
        calling.print_json(documents.folded_document(found, finding.names, call.scale))
    else:
        calling.print_lines(tables.fold_lines(found, call.scale, call.zone, call.width))
    return False


def _events(call: Call, finding: Searched, entries: _Entries) -> bool:
    """Print events, some at a time; those that are followed one by one."""
    if call.json and not call.columns and isinstance(finding, Finding) and not call.taps:
        sys.stdout.flush()
        sys.stdout.buffer.writelines(finding.made(JsonMaker(finding.names, call.scale)))
        return False
    shows = shower(call, finding.search, finding.names)
    if call.follow:
        for entry in entries:
            shows([entry])
            sys.stdout.flush()
        return False
    for some in batched(entries):
        shows(some)
    return False
