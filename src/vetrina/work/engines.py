"""Who reads an input: this process, several of this machine, or those of a cluster; and the pieces that it is cut into."""

from __future__ import annotations

from typing import TYPE_CHECKING

from vetrina.core.base.faults import refuse
from vetrina.formats.inputs import Inputs
from vetrina.formats.pieces import PACKED, Piece, pieces_of
from vetrina.work.jobs import Engine

if TYPE_CHECKING:
    from vetrina.work.workers import Workers

PAYS_FROM = 32 << 20
"""Bytes of an input from which on several processes are used without asking."""
EACH = 16 << 20
"""Bytes that are worth one process more."""
MOST_WORKERS = 512
_UNPACKED = 8
_TURNS = 4
_LARGEST, _LARGEST_SHOWN = 64 << 20, 4 << 20


def workers_of(text: str, inputs: Inputs) -> Workers | None:
    """Return the processes that `--workers` asks for, None where this one reads alone; raise Refused for another text."""
    from vetrina.work.workers import Workers, cores  # noqa: PLC0415  (most calls read by themselves)

    if text != "auto":
        if not (text.isascii() and text.isdigit() and 1 <= int(text) <= MOST_WORKERS):
            raise refuse(f'"{text[:20]}" is no number of workers', fix=f"write --workers auto, or a number from 1 to {MOST_WORKERS}",
                         where="--workers")  # fmt: skip
        if int(text) > 1 and inputs.only_once:
            raise refuse("standard input or a pipe is read by one process", fix="put it into a file, or leave --workers out",
                         where="--workers")  # fmt: skip
        return Workers(int(text)) if int(text) > 1 else None
    if inputs.only_once:
        return None
    sizes = weights(inputs)
    size = sum(sizes)
    if size < PAYS_FROM:
        return None
    apart = len(sizes) if all(one.path.endswith(PACKED) for one in inputs.parts) else size // EACH
    hands = min(cores(), size // EACH, apart)
    return Workers(hands) if hands > 1 else None


def weights(inputs: Inputs) -> list[int]:
    """Return how many bytes there are to read in each file, about: packed ones become more."""
    return [one.size * (_UNPACKED if one.path.endswith(PACKED) else 1) for one in inputs.parts]


def cut(inputs: Inputs, engine: Engine, *, shown: bool) -> list[Piece]:
    """Return the pieces of an input for an engine; of what is ``shown`` as it is made, small ones."""
    share = -(-sum(weights(inputs)) // (engine.hands * _TURNS))
    return list(pieces_of(inputs, max(1, min(share, _LARGEST_SHOWN if shown else _LARGEST))))
