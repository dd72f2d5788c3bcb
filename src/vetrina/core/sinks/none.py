"""Nowhere: what is delivered is counted and thrown away."""

from vetrina.core.sinks._kind import SinkKind

KIND = SinkKind("none", "nowhere", place=lambda _keys, _folder: "none", label=lambda _keys: "nowhere")
