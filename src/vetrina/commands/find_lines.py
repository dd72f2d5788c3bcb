"""Found events as they are printed: for people, as JSON Lines, in columns, by a template."""

from __future__ import annotations

import sys
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import msgspec
from msgspec import Struct

from vetrina.commands import calling
from vetrina.commands.find_call import Call
from vetrina.core.base.hidden import hidden
from vetrina.core.base.levels import Scale
from vetrina.core.finding.asked import literally, without_case
from vetrina.core.finding.entry import Entry
from vetrina.core.templates.forms import RawMember, raw_source
from vetrina.core.templates.language import Placeholder
from vetrina.views import find as view
from vetrina.views.documents import find as documents
from vetrina.views.json_text import json_line
from vetrina.views.screen import painted, safe
from vetrina.work.finding import Search
from vetrina.work.logs_given import template_given

Shows = Callable[[list[Entry]], None]


def shower(call: Call, search: Search, names: list[str]) -> Shows:
    """Return what prints entries as the call wants them."""
    if call.columns:
        return _columns(call)
    if call.json:
        return _json(call, names)
    if call.as_ is not None:
        return _templated(call, call.as_)
    width = call.width
    made = without_case if search.asked.ignore_case else literally
    found = (*search.asked.messages, *map(made, search.asked.texts)) if painted(sys.stdout) else ()
    look = view.Look(names, call.scale, call.zone, found, stacks=call.stacks, marks=call.around > 0)
    lines = view.EventLines(look).lines
    return lambda some: calling.print_fitted((line for entry in some for line in lines(entry)), width)


class JsonMaker(Struct):
    """Makes JSON Lines of entries, here or in another process."""

    names: list[str]
    scale: Scale

    def __call__(self, entries: list[Entry]) -> bytes:
        """Return the lines of some entries."""
        records = documents.FoundEvents(self.names, self.scale).records(entries)
        if not hidden():
            with suppress(OverflowError, UnicodeError):  # a number of many digits, or a name of the system's that is not UTF-8
                return msgspec.json.Encoder().encode_lines(records)
        return "".join(map(json_line, records)).encode()


def _json(call: Call, names: list[str]) -> Shows:
    make = JsonMaker(names, call.scale)

    def lines(some: list[Entry]) -> None:
        sys.stdout.flush()
        sys.stdout.buffer.write(make(some))

    return lines


def _templated(call: Call, template: str) -> Shows:
    render = template_given(template, call.setting, "--as").compile("")

    def lines(some: list[Entry]) -> None:
        for entry in some:
            rows = render(entry.event, entry.at + 1).split("\n")
            sys.stdout.write("\n".join(map(safe, rows)) + "\n")

    return lines


def _columns(call: Call) -> Shows:
    names = [one.strip() for one in call.columns.split(",")]
    texts = [template_given("{" + one + "}", call.setting, "--columns") for one in names]
    if call.json:
        return _json_columns(call, names, [one for text in texts for one in text.placeholders])
    renders = [text.compile("") for text in texts]

    def cells(entry: Entry) -> list[str]:
        return [render(entry.event, entry.at + 1) for render in renders]

    if not sys.stdout.isatty():
        return lambda some: sys.stdout.writelines(view.tabbed(cells(entry)) for entry in some)
    aligned = view.Aligned(names)
    begun = False

    def rows(some: list[Entry]) -> None:
        nonlocal begun
        found = [cells(entry) for entry in some]
        calling.print_lines(map(aligned.row, found) if begun else aligned.first(found))
        begun = True

    return rows


def _json_columns(call: Call, names: list[str], placeholders: list[Placeholder]) -> Shows:
    """Return what prints columns as JSON: the source's own value, or the text that its steps make of it."""
    made: list[tuple[str, Callable[[Any, int], Any]]] = []
    for name, one in zip(names, placeholders, strict=True):
        if one.steps:
            made.append((name, template_given("{" + name + "}", call.setting, "--columns").compile("")))
        else:
            made.append((name, raw_source(RawMember(one.source, one.argument), call.setting)))

    def lines(some: list[Entry]) -> None:
        for entry in some:
            sys.stdout.write(json_line({name: make(entry.event, entry.at + 1) for name, make in made}))

    return lines
