"""What is made of hits on their way to the screen: a copy of their bytes, a picture of when they were."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from typing import IO

from vetrina.commands import calling
from vetrina.commands.find_call import Call
from vetrina.core.base.faults import refuse
from vetrina.core.finding.entry import Entry
from vetrina.core.finding.moments import Moments
from vetrina.core.templates.masking import masker
from vetrina.formats.safe_files import replacing
from vetrina.work.finding import Search

Tap = Callable[[Iterator[Entry]], Iterator[Entry]]


@contextmanager
def taps(call: Call, search: Search) -> Iterator[Tap]:
    """Yield what entries pass through; what was made of them is written when all are through."""
    with ExitStack() as stack:
        made: list[Tap] = []
        if call.copy is not None:
            there = os.path.realpath(call.copy)
            if any(os.path.realpath(one.file.path) == there for one in search.sources):
                raise refuse(
                    "this file is searched itself",
                    "the copy would take its place",
                    "name a new file",
                    where=f"--copy {call.copy}",
                )
            calling.refuse_input(call.copy)
            out = stack.enter_context(replacing(call.copy))
            made.append(_copier(call, search, out))
        moments = Moments(call.scale)
        if call.plot is not None and not call.blocks:
            made.append(moments.watched)

        def through(entries: Iterator[Entry]) -> Iterator[Entry]:
            for tap in made:
                entries = tap(entries)
            return entries

        yield through
        if call.plot is not None and not call.blocks:
            from vetrina.commands.find_plots import draw_moments  # noqa: PLC0415  (Matplotlib, for pictures only)

            draw_moments(call, moments, [one.name for one in search.sources])


def _copier(call: Call, search: Search, out: IO[bytes]) -> Tap:
    mask = masker(call.setting.mask) if call.mask else None
    encodings = ["utf-8" if one.layout is None else one.layout.encoding for one in search.sources]

    def copied(entries: Iterator[Entry]) -> Iterator[Entry]:
        for entry in entries:
            if entry.hit:
                out.write(_whole(entry.raw, encodings[entry.source], mask))
            yield entry

    return copied


def _whole(raw: bytes, encoding: str, mask: Callable[[str], str] | None) -> bytes:
    """Return lines with an end to the last one, masked if that is wanted."""
    if mask is not None:
        raw = mask(raw.decode(encoding, "surrogateescape")).encode(encoding, "surrogateescape")
    narrow = len("\n".encode(encoding)) == 1
    return raw + b"\n" if narrow and not raw.endswith(b"\n") else raw
