"""A console stream."""

from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key
from vetrina.core.schema.kinds import Choice
from vetrina.core.sink_kinds.kind import SinkKind

KIND = SinkKind(
    "console",
    "a stream of the process: stdout or stderr",
    {"stream": Key(Choice(words=("stdout", "stderr")), "which stream", "stdout", example="stderr")},
    place=lambda keys, _folder: f"console {keys.get('stream', 'stdout')}",
    label=lambda keys: keys.get("stream", "stdout"),
    traits=SinkTraits(folder="console", lines=True, shared=True),
)
