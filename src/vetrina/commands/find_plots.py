"""Pictures of what `find` found."""

from __future__ import annotations

from collections.abc import Sequence
from types import ModuleType

from vetrina.commands import calling
from vetrina.commands.find_call import Call
from vetrina.core.finding.blocks import Blocks
from vetrina.core.finding.moments import Moments


def draw_moments(call: Call, moments: Moments, sources: Sequence[str]) -> None:
    """Draw when hits were."""
    pictures = _pictures()
    _write(call, pictures.draw_moments(moments, sources, call.scale, _look(call, pictures)))


def draw_blocks(call: Call, blocks: Blocks) -> None:
    """Draw how timed blocks nest."""
    pictures = _pictures()
    stacks: dict[object, str] = {}
    if call.per:
        stacks = {one.stack: "(none)" if one.stack is None else str(one.stack) for one in blocks.drawn}
    _write(call, pictures.draw_blocks(blocks.drawn, blocks.left_out, stacks, _look(call, pictures)))


def _pictures() -> ModuleType:
    try:
        from vetrina.views import finding_picture  # noqa: PLC0415  (Matplotlib only where it is used)
    except ImportError:
        raise calling.missing_library("drawing", "Matplotlib", "plot", "--plot") from None
    return finding_picture


def _look(call: Call, pictures: ModuleType) -> object:
    assert call.plot is not None  # noqa: S101  (asked before)
    return pictures.Look(call.plot.suffix[1:], call.zone, call.zone_name)


def _write(call: Call, picture: bytes) -> None:
    assert call.plot is not None  # noqa: S101  (asked before)
    calling.write_bytes(call.plot, picture)
    calling.remark([f"drawn: {call.plot}"])
