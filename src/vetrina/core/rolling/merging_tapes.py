"""Writes that are estimated to come, put between recorded ones, each after those that are not later."""

from __future__ import annotations

from array import array
from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from vetrina.core.rolling.streams import MOST_STEPS, Stream, too_long
from vetrina.core.rolling.tapes import Tape

Array = Any


class Extra(Struct):
    """Further writes in the order of time: microseconds since 1970, bytes, how often each is written, and the content if it matters."""

    times: Array
    sizes: Array
    counts: Array
    data: list[bytes] = []


def merged(tape: Tape, extra: Extra) -> Tape:
    """Return a travelling tape with further writes between its own."""
    times, sizes = (
        np.frombuffer(one, dtype=np.int64) if len(one) else np.zeros(0, np.int64) for one in (tape.times, tape.sizes)
    )
    places: Array = np.searchsorted(np.maximum.accumulate(times) if len(times) else times, extra.times, side="right")
    order = np.insert(np.arange(len(times)), places, len(times) + np.arange(len(extra.times)))
    whole = [np.concatenate(pair)[order].astype(np.int64) for pair in ((times, extra.times), (sizes, extra.sizes))]
    found = Tape(array("q", whole[0].tobytes()), array("q", whole[1].tobytes()), packed=True)
    if tape.data or extra.data:
        content = tape.data + extra.data
        found.data = [content[at] for at in order.tolist()]
    own = [(at + int(np.searchsorted(places, at, side="right")), count) for at, count in tape.odd]
    added = [(int(places[at]) + at, int(extra.counts[at])) for at in np.flatnonzero(extra.counts != 1).tolist()]
    found.odd = sorted(own + added)
    found.starts = [(_moved(at, tape.key(time), places, extra.times), time) for at, time in tape.starts]
    return found


def _moved(at: int, time: int, places: Array, times: Array) -> int:
    """Return the new place of a start: after the further writes that are not later than it."""
    before, upto = int(np.searchsorted(places, at, side="left")), int(np.searchsorted(places, at, side="right"))
    return at + max(before, min(upto, int(np.searchsorted(times, time, side="right"))))


def joined(parts: Sequence[Extra], *, content: bool = False) -> Extra:
    """Return further writes of several kinds as one, in the order of time; with ``content`` each has some, if only an empty one."""
    if not parts:
        none = np.zeros(0, np.int64)
        return Extra(none, none, none)
    columns = [np.concatenate([getattr(one, name) for one in parts]) for name in ("times", "sizes", "counts")]
    order = np.argsort(columns[0], kind="stable")
    data = [each for one in parts for each in (one.data or [b""] * len(one.times))] if content else []
    times, sizes, counts = (one[order] for one in columns)
    return Extra(times, sizes, counts, [data[at] for at in order.tolist()] if data else [])


def of_stream(stream: Stream, size: int, deliveries: int, begun: int, ended: int) -> Extra:
    """Return the writes of an added stream: minute by minute, or one by one where they are rarer."""
    step = max(60.0, 1 / stream.each_second) if stream.each_second > 0 else 0.0
    steps = int((ended - begun) / 1e6 / step) if step else 0
    if steps > MOST_STEPS:
        raise too_long(MOST_STEPS)
    owed = np.floor(np.arange(1, steps + 1) * step * stream.each_second + 1e-9)
    counts = np.diff(owed, prepend=0).astype(np.int64)
    times = begun + (np.arange(1, steps + 1) * (step * 1e6)).astype(np.int64)
    some = counts > 0
    return Extra(times[some], np.full(int(some.sum()), size), counts[some] * deliveries)
