"""Make the pages of docs/reference/ from the tables that the program itself works by: `python tools/docs.py` writes them.

Only limits.md there is written by hand. The tests call `pages` and want no difference.
"""

from __future__ import annotations

import inspect
import re
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import click
import typer

import vetrina
from vetrina.commands import overview
from vetrina.commands.app import app
from vetrina.core.base.events import Event
from vetrina.core.base.levels import NAMES
from vetrina.core.checks import load, page
from vetrina.core.config import grammar, plan_kinds
from vetrina.core.schema import kinds
from vetrina.core.schema.containers import Key, ListOf, MapOf, Record
from vetrina.core.services.grammar import SERVICE
from vetrina.core.sink_kinds import KINDS
from vetrina.core.templates import steps
from vetrina.core.templates.sources import SOURCES
from vetrina.formats import cases
from vetrina.formats.mapping_schema import mapping_schema
from vetrina.formats.schemas import components, record_schema
from vetrina.views.outputs import OUTPUTS

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "reference"
MADE = "<!-- made by tools/reference.py from the program's own tables: python tools/docs.py -->\n\n"


def pages() -> dict[str, str]:
    """Return every made page by its file name."""
    made = {
        "README.md": _index(),
        "plan.md": _plan(),
        "templates.md": _templates(),
        "events.md": _events(),
        "cases.md": _cases(),
        "commands.md": _commands(),
        "checks.md": _checks(),
        "outputs.md": _outputs(),
        "mapping.md": _mapping(),
        "service.md": _service(),
        "api.md": _api(),
    }
    return {name: MADE + text.rstrip() + "\n" for name, text in made.items()}


def _index() -> str:
    return """# Reference

- [The plan](plan.md): every key with its type, default, meaning and an example.
- [Templates](templates.md): every source and every step.
- [Events](events.md): every key of a line of events.
- [Cases](cases.md): every key of a file of expected deliveries.
- [Mappings](mapping.md): every key and every look-up by which a document in another format is read as a plan.
- [Services](service.md): every key of the file that says how to talk to a running service.
- [Commands](commands.md): every option of every command, exit codes, environment.
- [Checks](checks.md): what each finds, why it matters, what to do.
- [Outputs](outputs.md): every `--json` document, field by field.
- [The Python API](api.md): every name that `import vetrina` offers.
- [Limits](limits.md): every bound, and what happens at it.

The schemas that editors and programs read are printed by `vetrina schema plan|events|cases|mapping|service|output`.
"""


def _cell(text: str) -> str:
    return text.replace("|", "\\|").replace("\n", " ")


def _table(heads: tuple[str, ...], rows: Iterable[tuple[str, ...]]) -> str:
    lines = ["| " + " | ".join(heads) + " |", "|" + "---|" * len(heads)]
    lines += ["| " + " | ".join(map(_cell, row)) + " |" for row in rows]
    return "\n".join(lines) + "\n"


def _anchor(name: str) -> str:
    return "#" + re.sub(r"[^a-z0-9 -]", "", name.lower()).replace(" ", "-")


def _type(kind: kinds.Kind) -> str:
    """Return what a kind is, for people; records are linked to their section."""
    if isinstance(kind, Record):
        short = f", or {_type(kind.keys[kind.short].kind)} as its {kind.short}" if kind.short else ""
        return f"[{kind.name}]({_anchor(kind.name)}){short}"
    if isinstance(kind, plan_kinds.MemberKind):
        return "[members](#members)"
    if isinstance(kind, ListOf):
        one = f"{_type(kind.item)}, or a list of such" if kind.single else f"a list, each: {_type(kind.item)}"
        return one + (f" (at least {kind.least})" if kind.least else "")
    if isinstance(kind, MapOf):
        return f"a mapping of names, each: {_type(kind.value)}"
    if isinstance(kind, plan_kinds.FieldTest):
        return f"a value it must equal, or [operators]({_anchor(kind.operators.name)})"
    if isinstance(kind, kinds.Choice):
        return "one of " + ", ".join(f"`{word}`" for word in kind.words)
    if isinstance(kind, kinds.Whole):
        return f"{kind.wants}, {kind.low:,} to {kind.high:,}"
    if isinstance(kind, kinds.LevelKind):
        return "a level, `all` or `off`" if kind.threshold else "a level"
    return kind.wants


def _key_rows(keys: dict[str, Key]) -> Iterator[tuple[str, ...]]:
    for name, key in keys.items():
        default = "required" if key.required else f"`{key.default}`" if key.default else "–"
        yield f"`{name}`", _type(key.kind), default, key.doc, f"`{name}: {key.example}`"


def _section(title: str, keys: dict[str, Key], words: str = "") -> str:
    heads = ("key", "what it takes", "default", "meaning", "example")
    return f"## {title}\n\n{words}{_table(heads, _key_rows(keys))}\n"


def _records(*kinds_: kinds.Kind) -> list[Record]:
    """Return the records inside of ``kinds_``, each once, from the outside in."""
    found: dict[str, Record] = {}
    seen: list[kinds.Kind] = []
    waiting = list(kinds_)
    while waiting:
        kind = waiting.pop(0)
        if any(kind is one for one in seen):
            continue
        seen.append(kind)
        if isinstance(kind, Record):
            found.setdefault(kind.name, kind)
        waiting.extend(kind.parts())
    return list(found.values())


def _plan() -> str:
    scale = ", ".join(f"{name} {number}" for name, number in sorted(NAMES.items(), key=lambda one: one[1]))
    text = f"""# The plan, key by key

A plan is a YAML 1.2 or JSON document, in UTF-8. Unknown and repeated keys are faults. `null` at a key takes away what a
lower layer says there; a text may hold `${{NAME}}` or `${{NAME:-otherwise}}`, filled before it is read. Layers are laid over one
another in this order: the file, its stages (`--stage`), further files (`--with`), options (`--set`, `--tune`); a mapping is
merged key by key, a list is replaced, or changed by `{{remove: […], add: […]}}`. The [guide](../guide/plan.md) shows a whole one.

**Levels** are names or severities 1 to 24 ({scale}), in any case. **Sizes** are `500 B`, `10 MB`, `10 MiB`; **durations**
`90 seconds`, `5min`, `2 h`, `14 days`, `1 week`, or by ISO 8601 `PT90S`, `P1D`.

"""
    version = Key(
        kinds.Choice(words=(str(grammar.VERSION),)),
        "version of the plan format; a layer needs none",
        required=True,
        example=str(grammar.VERSION),
    )
    text += _section("A plan", {**grammar.PLAN_FILE.keys, "vetrina": version})
    for record in _records(*grammar.PLAN.parts()):
        if record.name == "an appender":
            text += _section(
                "An appender",
                {**grammar.COMMON, "roll": record.keys["roll"]},
                "Every kind of sink has these, `roll` that of files; each kind has further ones below.\n\n",
            )
            for kind in KINDS.values():
                takes = ", ".join(f"`{form}`" for form in kind.takes)
                words = f"{kind.doc[0].upper()}{kind.doc[1:]}. Template forms: {takes}.\n\n"
                text += _section(f"Sink {kind.name}", kind.keys, words) if kind.keys else f"## Sink {kind.name}\n\n{words}"
            continue
        text += _section(record.name[0].upper() + record.name[1:], record.keys)
    text += "## Members\n\nOf a JSON template: name to a text template, to `{raw: SOURCE}` (the JSON value itself, null if missing), or to members within.\n"
    return text


def _templates() -> str:
    text = "# Templates\n\n`{source|step|step}`; `{{` and `}}` are braces. A missing value is an empty text. Steps are done left to right; an argument with spaces, `|` or braces stands in double quotes with JSON escapes.\n\n## Sources\n\n"
    text += _table(
        ("source", "is a", "what it gives of an event"), [(f"`{name}`", one.kind, one.doc) for name, one in SOURCES.items()]
    )
    text += "\n## Steps\n\nBy `read`, a lossy step is left as it is; every other one is undone.\n\n"
    rows = [(f"`{name}`" if name != "%" else "`%…`", "time", doc, "undone") for name, doc in steps.TIME_STEPS.items()]
    for name, one in steps.TEXT_STEPS.items():
        argument = {"number": " N", "text": " TEXT"}.get(one.takes, "")
        rows.append((f"`{name}{argument}`", one.on, one.doc, "lossy" if one.lossy else "undone"))
    rows.append(("`mask`", "text", steps.MASK, "lossy"))
    return text + _table(("step", "works on", "what it does", "read back"), rows)


def _events() -> str:
    schema, parts = components(Event, "{name}")
    meanings = {
        "time": "when, by RFC 3339 with an offset", "level": "a level's name or number", "logger": "its logger; the empty name is root",
        "message": "its text; `{name}` is a hole, filled from the fields", "fields": "further values by name", "error": "what went wrong: a text, or `{type, message, stack}`",
        "thread": "the thread that logged it", "source": "where in the program: `{file, line, function}`", "process": "the process",
        "host": "the machine", "count": "how many events this line stands for (1)", "channel": "the way it came by where that was not the configuration's own loggers: an access log, prints (none; an empty text is none)",
        "mark": "`start`, `stop`, `crash` or another text: what it tells of the process",
    }  # fmt: skip
    del schema
    found = parts["Event"]
    rows = [
        (f"`{name}`", _json_type(one), "yes" if name in found["required"] else "", meanings[name])
        for name, one in found["properties"].items()
    ]
    return (
        "# Events\n\nOne JSON object a line (JSON Lines, UTF-8), also compressed; `-` is standard input. Keys that are not listed are a fault of the line.\n\n"
        + _table(("key", "type", "required", "meaning"), rows)
    )


def _json_type(schema: dict[str, Any]) -> str:
    if "$ref" in schema:
        return str(schema["$ref"]).rpartition("/")[2]
    if "anyOf" in schema:
        return " or ".join(dict.fromkeys(_json_type(one) for one in schema["anyOf"]))
    if "enum" in schema:
        return " or ".join(f"`{one}`" for one in schema["enum"])
    if schema.get("type") == "array":
        return f"list of {_json_type(schema.get('items') or {})}"
    if schema.get("type") == "object" and isinstance(schema.get("additionalProperties"), dict):
        return f"object of {_json_type(schema['additionalProperties'])}"
    kind = str(schema.get("type", "any value"))
    return {"integer": "whole number"}.get(kind, kind)


def _cases() -> str:
    text = "# Cases\n\nA file of expected deliveries, for `vetrina expect`; levels, conditions and texts are read as in a plan. There are no placeholders.\n\n"
    for record in _records(cases.CASES):
        text += _section(record.name[0].upper() + record.name[1:], record.keys)
    return text


def _commands() -> str:
    group = typer.main.get_command(app)
    assert isinstance(group, click.Group)  # noqa: S101  (for the types)
    text = "# Commands\n\n`vetrina COMMAND --help` says the same.\n\n## Exit codes\n\n"
    codes = [("0", "fine"), ("1", "something was found wanting: a message that does not arrive, a finding, a difference, a case that fails, a line that could not be read"),
             ("2", "the call or an input was wrong, or Vetrina has a fault of its own; one message says what, where, why, and what to do"), ("130", "ended by Ctrl-C"), ("143", "ended by TERM")]  # fmt: skip
    text += _table(("code", "meaning"), codes)
    text += "\n## Environment\n\n" + _table(("variable", "meaning"), [
        ("`NO_COLOR`", "set to anything: no colour"), ("`COLUMNS`", "how wide a terminal is taken to be"),
        ("`VETRINA_TRACE`", "set to 1: a fault in Vetrina itself prints where it happened"), ("any other", "a value for `${NAME}` in plans that `--env`, `--env-file` and the plan's `values` do not give"),
    ])  # fmt: skip
    context = click.Context(group, info_name="vetrina")
    for name in overview.COMMANDS:
        command = group.get_command(context, name)
        assert command is not None  # noqa: S101
        text += f"\n## {name}\n\n{_help(command.help or '')}\n"
        rows = [row for one in command.params if (row := _option(one))]
        text += _table(("argument or option", "takes", "default", "meaning"), rows)
    return text


def _help(text: str) -> str:
    words, _, examples = inspect.cleandoc(text).replace("\b\n", "").partition("Examples:\n")
    block = "\n".join(line.strip() for line in examples.splitlines())
    return f"{words.strip()}\n\n```console\n{block}\n```\n" if block else words.strip() + "\n"


def _option(one: click.Parameter) -> tuple[str, ...] | None:
    if one.name == "help":
        return None
    takes = str(one.metavar or "") if not getattr(one, "is_flag", False) else ""
    shown = one.opts[0] if isinstance(one, click.Option) else takes
    default = "" if one.default in (None, False, "", (), []) or callable(one.default) else f"`{one.default}`"
    words = str(getattr(one, "help", "") or "")
    return f"`{shown}`", f"`{takes}`" if takes and isinstance(one, click.Option) else "", default, words


def _checks() -> str:
    found = load()
    text = "# Checks\n\n`vetrina check` runs them; `--only`, `--skip` and `waive` in a plan choose among them; `--limit CODE[.NAME]=VALUE` sets a threshold.\n\n"
    needs = {
        "plan": "the plan",
        "events": "events (`--events`)",
        "source": "the program's source (`--source`)",
        "probe": "this machine (`--probe`)",
        "network": "the network (`--probe-network`)",
        "document": "a document in another format (`--by`)",
        "fault": "told while reading",
    }
    rows = [(f"[`{one.code}`]({_anchor(one.code)})", one.severity, needs[one.needs], one.title) for one in found.values()]
    text += _table(("check", "severity", "looks at", "finds"), rows)
    for one in found.values():
        limits = ", ".join(f"`{one.code}.{name}` {value:g}" for name, value in one.limits.items())
        words = re.sub(
            r"::\n\n((?:    [^\n]*\n|\n)+)",
            lambda found_: ":\n\n```yaml\n" + inspect.cleandoc(found_[1]) + "\n```\n\n",
            page(one) + "\n",
        )
        text += f"\n## {one.code}\n\n{words.strip()}\n" + (f"\nLimits: {limits}.\n" if limits else "")
    return text


def _mapping() -> str:
    """Return the page of mappings: the keys and look-ups as the schema has them, and the choices that were taken."""
    schema = mapping_schema()
    keys = [(f"`{name}`", _described_in(one)) for name, one in schema["properties"].items()]
    whole = schema["$defs"]["look-up"]["anyOf"][1]["properties"]
    looks = [(f"`{name}`", one.get("description", "")) for name, one in whole.items()]
    return (
        "# Mappings\n\nA mapping says where in documents of one format the parts of a plan stand ([guide](../guide/documents.md)). "
        "`vetrina schema mapping` prints its JSON Schema.\n\n## Keys\n\n"
        + _table(("key", "meaning"), keys)
        + "\nUnder `plan`, `values`, `loggers`, `appenders`, `templates` and `stages` stand the plan's own keys, nested as in a plan, each with a look-up. "
        "An item has `each`, `name` where names are free, and its keys (in `values`: `value`).\n\n## Look-ups\n\n"
        "A text is a path. A mapping has one of `at`, `text`, `key`, `member`, `of`, and then, in this order, any of the others.\n\n"
        + _table(("key", "meaning"), looks)
        + _CHOICES
    )


def _described_in(schema: dict[str, Any]) -> str:
    """Return the description of a schema, or of the first of its forms."""
    inner = schema.get("anyOf", [{}])[0]
    return str(schema.get("description") or inner.get("description", ""))


_CHOICES = """
## What holds where a format leaves a choice

- **Places.** A value's place is its first character, inside the quotes of an attribute; what is left over stands at its name. Columns count characters.
- **Types.** A text of the document is typed as an unquoted value of a plan where the plan wants a number, a level, true or false, a size; where it wants a text it is
  one. JSON and YAML values keep their type where anything goes (a field in a condition).
- **Empty** counts as not given; a value under `values` that is there and empty is an empty text. `null` is not given.
- **The first** value that is given is taken where the plan wants one: with `match`, the first that matches.
- **Predicates** touch what they compare at every part they are asked of, whatever comes of it.
- **Levels** of `text` and `or` are the plan's; all others go through `levels`, a word before a range. Ranges may be open (`..19`, `70..`).
- **Texts**: `<group>` and `<group|TABLE>` are filled in, `<<` is a literal <. Literal braces of the document are doubled where the plan has a template or a file's name,
  and `${` is escaped.
- **Placeholders**: other characters than letters, digits and _ in their names become _ (`?kiosk.dir?` is `${kiosk_dir}`); two names that become one are a fault. A name of
  a logger or an appender may hold none: names are taken as they are.
- **A template by tokens** is named after its appender, or `NAME 2` where the document has a template of that name.
- **Members** of a JSON template: a mapping of look-up keys alone, with one of `at`, `text`, `key`, `member`, `of`, is a look-up; any other is members within.
- **Stages**: parts inside a stage's are that stage's alone, also for look-ups of the plan itself. Stages of one name are laid over each other.
- **Included documents** are read once each, depth first, after the one that names them. References and `member` look in all of them, the first document first.
- **ini**: a line without `=` is a key with an empty value; a section that is begun again goes on; nothing but comments may stand before the first section.
- **xml**: comments and processing instructions are no parts. A document type may stand there, but neither entities nor default values of attributes; nothing is fetched.
- **JSONPath**: `match` and `search` take RE2's expressions. **XPath**: comparisons are done as XPath 1.0 (3.4) says.
- **A level in a range of numbers** is written as the range's lower end (its upper one, where it has no lower).
- **A level for an entry that has none** is written as a new entry, where `new` says how: the two are laid over each other.
- **A text to be translated by tokens** may have 65,536 characters; a document 100 levels, 200,000 values and 64 MiB, as a plan.
- **`adopt`** gives the plan the document's words as `levels` where a level is filled in later; a word that a plan cannot have then is told (exit 1).
"""


def _service() -> str:
    """Return the page of service files: every key, and what they mean together."""
    text = """# Service files, key by key

A service file says how to talk to one running service, and where it logs ([guide](../guide/live.md)). `vetrina schema service` prints its JSON
Schema. Placeholders (`${NAME}`, `${NAME:-otherwise}`) stand anywhere, filled as in plans: from `--env`, `--env-file`, `values`, the environment.

"""
    version = Key(kinds.Choice(words=("1",)), "version of the format", required=True, example="1")
    text += _section("A service file", {**SERVICE.keys, "vetrina-service": version})
    for record in _records(*SERVICE.parts()):
        text += _section(record.name[0].upper() + record.name[1:], record.keys)
    return (
        text
        + """## What they mean

- A **request** goes to `http.base` with the step's path behind it. `{logger}`, `{level}` and `{text}` are filled in; in a path `{logger}` is
  percent-encoded, and a name that is `.` or `..` is refused. Headers of `http` and of the step go along. Redirects are not followed. On loopback no
  proxy is used. A user and a password in `base` are sent as HTTP Basic.
- A **program** runs without a shell, without input, in the folder of the service file; its standard output is the answer, its standard error is
  thrown away, and it must end with 0. A name that begins with `-` is refused unless `--` stands before it.
- An **answer** is read whole, within `timeout`, and has at most 16 MiB. `each` leads to the loggers, `name`, `level` and `effective` from each of them on. Where
  `level` finds null or nothing, none is set. Without `level` (or `effective`) that is not known, and said so. A 404 to `read` means that the service does
  not know the logger. `lines` reads text line by line; lines that do not fit are passed over.
- Of `list` and `read` one is needed, `set` for a change. **Without `clear`** a logger that had no level of its own gets the one that was in effect.
- `levels` are the service's own words. One that is sent is the first that means just this severity, else the plan's name for it.
- Values of `headers`, a user and a password in `base`, and placeholders' values whose names look like a credential's never show: not in an error, a
  record, a report. Nothing of an answer ever stands in a message.
"""
    )


def _outputs() -> str:
    text = "# Outputs\n\nWhat each command prints with `--json`, field by field. A field that is not required is left out where it says nothing. `vetrina schema output NAME` prints the schema.\n"
    for name, record in OUTPUTS.items():
        schema = record_schema(record, f"vetrina {name} --json")
        text += f"\n## {name}\n\n{_described(record)}\n\n" + _fields(schema)
        for part, inner in schema.get("$defs", {}).items():
            text += f"\n**{part}**: {inner.get('description', '')}\n\n" + _fields(inner) if "properties" in inner else ""
    return text


def _described(record: Any) -> str:
    return inspect.cleandoc(record.__doc__ or "")


def _fields(schema: dict[str, Any]) -> str:
    needed = schema.get("required", [])
    return _table(
        ("field", "type", "required"),
        [(f"`{name}`", _json_type(one), "yes" if name in needed else "") for name, one in schema["properties"].items()],
    )


def _api() -> str:
    text = "# The Python API\n\n`import vetrina` costs nothing; each name is loaded when it is first used. All are typed. The [guide](../guide/python.md) shows them at work.\n"
    for name in vetrina.__all__:
        found = getattr(vetrina, name)
        if isinstance(found, str):
            continue
        text += f"\n## {name}\n\n```python\n{_signature(name, found)}\n```\n\n{_plain(inspect.getdoc(found) or '')}\n"
        if inspect.isclass(found) and found.__module__.startswith("vetrina"):
            text += _members(found)
    return text


def _signature(name: str, found: Any) -> str:
    if hasattr(found, "__struct_fields__"):
        types = {
            key: str(kind) for base in reversed(found.__mro__) for key, kind in getattr(base, "__annotations__", {}).items()
        }
        return f"class {name}:\n" + "\n".join(f"    {field}: {types[field]}" for field in found.__struct_fields__)
    try:
        return f"{'class ' if inspect.isclass(found) else ''}{name}{_plainly(inspect.signature(found))}"
    except (TypeError, ValueError):
        return f"class {name}"


class _Annotation:
    """An annotation that is shown as it was written."""

    def __init__(self, annotation: object) -> None:
        self._text = re.sub(r"ForwardRef\('([^']*)'\)", r"\1", annotation if isinstance(annotation, str) else repr(annotation))

    def __repr__(self) -> str:
        return self._text


def _plainly(signature: inspect.Signature) -> inspect.Signature:
    """Return a signature without quotes around its annotations, and without self."""
    kept = [
        one if one.annotation is one.empty else one.replace(annotation=_Annotation(one.annotation))
        for one in signature.parameters.values()
        if one.name != "self"
    ]
    back = signature.return_annotation
    return signature.replace(parameters=kept, return_annotation=back if back is signature.empty else _Annotation(back))


def _members(found: Any) -> str:
    rows = []
    for name, one in inspect.getmembers(found):
        if name.startswith("_") or name in getattr(found, "__struct_fields__", ()):
            continue
        words = (inspect.getdoc(one) or "").partition("\n")[0].replace("``", "`")
        if inspect.isfunction(one):
            rows.append((f"`{name}{_plainly(inspect.signature(one))}`", words))
        elif isinstance(one, property) or type(one).__name__ == "cached_property":
            rows.append((f"`{name}`", words))
    return "\n" + _table(("member", "meaning"), rows) if rows else ""


def _plain(text: str) -> str:
    """Return a docstring as Markdown: double backquotes single, Args and others as lists."""
    text = text.replace("``", "`")
    text = re.sub(r"(?m)^(Args|Returns|Raises|Yields):$", r"\n**\1:**\n", text)
    return re.sub(r"(?m)^    (\w+): ", r"- `\1`: ", text)
