"""A file, rolled or not."""

from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key
from vetrina.core.schema.kinds import Choice, Flag, Text
from vetrina.core.sink_kinds.kind import SinkKind, full_path

ENCODINGS = ("utf-8", "utf-16-le", "utf-16-be", "latin-1", "cp1252", "ascii")

KIND = SinkKind(
    "file",
    "a file; relative paths start from the plan's workdir",
    {
        "path": Key(
            Text(empty=False, wants="a path", braced=True), "where the file is", required=True, example="logs/daybook.log"
        ),
        "append": Key(Flag(), "false: emptied at each start of the process", "true", example="false"),
        "encoding": Key(Choice(words=ENCODINGS), "how its text becomes bytes", "utf-8", example="utf-8"),
    },
    place=lambda keys, folder: "file " + full_path(keys.get("path", ""), folder),
    label=lambda keys: keys.get("path", ""),
    traits=SinkTraits(file_key="path", rolls=True, folder="files", lasting=True, lines=True, parsed=True),
)
