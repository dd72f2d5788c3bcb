"""Nowhere: what is delivered is counted and thrown away."""

from vetrina.core.plan.model import SinkTraits
from vetrina.core.sink_kinds.kind import SinkKind

KIND = SinkKind(
    "none", "nowhere", place=lambda _keys, _folder: "none", label=lambda _keys: "nowhere", traits=SinkTraits(nowhere=True)
)
