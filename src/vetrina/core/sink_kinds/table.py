"""A table of a SQLite database."""

from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key, MapOf
from vetrina.core.schema.kinds import Text
from vetrina.core.sink_kinds.kind import SinkKind, full_path

KIND = SinkKind(
    "table",
    "rows of a table in a SQLite file",
    {
        "database": Key(Text(empty=False, wants="a path"), "the SQLite file", required=True, example="logs/fares.sqlite"),
        "table": Key(Text(empty=False, wants="a table's name"), "the table", required=True, example="fares"),
        "columns": Key(
            MapOf(Text(braced=True)), "column to template", required=True, example="{at: '{time}', what: '{message}'}"
        ),
    },
    takes=("columns", "text", "json"),
    place=lambda keys, folder: f"table {full_path(keys.get('database', ''), folder)} {keys.get('table', '')}",
    label=lambda keys: f"{keys.get('database', '')}:{keys.get('table', '')}",
    traits=SinkTraits(file_key="database", folder="tables", lasting=True, slow=True, shared=True),
)
