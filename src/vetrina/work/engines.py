"""Who reads an input: this process, several of this machine, or those of a cluster; and the pieces that it is cut into."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from vetrina.core.base.faults import refuse
from vetrina.formats.inputs import Inputs
from vetrina.formats.pieces import Piece, pieces_of
from vetrina.work.jobs import Engine

if TYPE_CHECKING:
    from vetrina.work.workers import Workers

PAYS_FROM = 32 << 20
"""Bytes of an input from which on several processes are used without asking."""
EACH = 16 << 20
"""Bytes that are worth one process more."""
MOST_WORKERS = 512
_TURNS = 4
_LARGEST, _LARGEST_SHOWN = 64 << 20, 4 << 20


def workers_of(text: str, inputs: Inputs) -> Workers | None:
    """Return the processes that `--workers` asks for, None where this one reads alone; raise Refused for another text."""
    if text != "auto":
        if not (text.isascii() and text.isdigit() and 1 <= int(text) <= MOST_WORKERS):
            raise refuse(f'"{text[:20]}" is no number of workers', fix=f"write --workers auto, or a number from 1 to {MOST_WORKERS}",
                         where="--workers")  # fmt: skip
        if int(text) > 1 and inputs.only_once:
            raise refuse("standard input or a pipe is read by one process", fix="put it into a file, or leave --workers out",
                         where="--workers")  # fmt: skip
        hands = int(text)
    else:
        hands = 1 if inputs.only_once else _worth(inputs)
    if hands == 1:
        return None
    from vetrina.work.workers import Workers  # noqa: PLC0415  (most calls read by themselves)

    return Workers(hands)


def _worth(inputs: Inputs) -> int:
    """Return how many processes are worth their start."""
    size = weight(inputs)
    if size < PAYS_FROM:
        return 1
    apart = len(inputs.parts) if all(one.packed for one in inputs.parts) else size // EACH
    return max(1, min(cores(), size // EACH, apart))


def cores() -> int:
    """Return how many cores this process may use."""
    try:
        return len(os.sched_getaffinity(0))
    except AttributeError:  # where a process cannot be bound to cores
        return os.cpu_count() or 1


def weight(inputs: Inputs) -> int:
    """Return how many bytes there are to read, about."""
    return sum(one.weight for one in inputs.parts)


def cut(inputs: Inputs, engine: Engine, *, shown: bool) -> list[Piece]:
    """Return the pieces of an input for an engine; of what is ``shown`` as it is made, small ones."""
    share = -(-weight(inputs) // (engine.hands * _TURNS))
    return list(pieces_of(inputs, max(1, min(share, _LARGEST_SHOWN if shown else _LARGEST))))
