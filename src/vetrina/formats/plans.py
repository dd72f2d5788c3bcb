"""Plans from files, with the layers and options of a call."""

from __future__ import annotations

import gc
import os
import re
from collections.abc import Iterator, Sequence
from collections.abc import Mapping as AbstractMapping
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Fault, Place, Refused, Unreadable
from vetrina.core.base.hidden import hide
from vetrina.core.base.secrets import looks_secret
from vetrina.core.config.placeholders import NAME, Given
from vetrina.core.config.resolution import LayerFile, Overrides, ResolvedPlan, SetOption, TuneOption, parse_path, resolve
from vetrina.core.plan.model import Plan
from vetrina.core.schema.nodes import Mapping, Node, Source, kind_of, synthetic
from vetrina.formats.documents import decode, read_bytes, read_document, unreadable

if TYPE_CHECKING:
    from vetrina.core.documents.adopted import Adoption  # most calls read no document


def read_resolved_plan(
    plan: str | Path,
    *,
    stages: Sequence[str] = (),
    layers: Sequence[str | Path] = (),
    env: Sequence[str] = (),
    env_files: Sequence[str | Path] = (),
    sets: Sequence[str] = (),
    tunes: Sequence[str] = (),
    environment: AbstractMapping[str, str] | None = None,
    texts: AbstractMapping[str, str] | None = None,
    by: str | Path | None = None,
) -> ResolvedPlan:
    """Read a plan with its layers and options, in the order of precedence; raise Refused with every fault.

    ``by`` is the mapping through which a document in another format is read as a plan; without it, one that stands beside
    the document is used (`mapping_beside`), and `-` switches that off. ``texts`` stand in for files, by their names as
    given: a change is tried before it is written.

    ``env`` holds `NAME=VALUE`, ``sets`` `PATH=VALUE`, ``tunes`` `LOGGER=LEVEL`. ``environment`` is the process's
    own unless given.
    """
    with _collector_paused():
        return _read_in_force(Path(plan), stages, layers, env, env_files, sets, tunes, environment, texts or {}, by)


@contextmanager
def _collector_paused() -> Iterator[None]:
    """Pause the cycle collector: a plan of 10,000 loggers is a million objects that all stay."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def _read_in_force(
    path: Path,
    stages: Sequence[str],
    layers: Sequence[str | Path],
    env: Sequence[str],
    env_files: Sequence[str | Path],
    sets: Sequence[str],
    tunes: Sequence[str],
    environment: AbstractMapping[str, str] | None,
    texts: AbstractMapping[str, str],
    by: str | Path | None,
) -> ResolvedPlan:
    plan = str(path)
    faults: list[Fault] = []
    document, adoption = _read_plan(path, plan, faults, texts, mapping_for(path, by))
    overrides = Overrides(
        stages=tuple(stages),
        layers=tuple(LayerFile(str(layer), _read(Path(layer), str(layer), faults, texts)) for layer in layers),
        sets=tuple(one for text in sets if (one := _set_option(text, faults)) is not None),
        tunes=tuple(tune for text in tunes if (tune := _tune_option(text, faults)) is not None),
        env=_given(env, faults),
        env_file=_env_files(env_files, faults),
        env_file_names=tuple(map(str, env_files)),
        environment=dict(os.environ if environment is None else environment),
    )
    folder = os.path.normpath(path.absolute().parent)
    nodes = [document, *(layer.node for layer in overrides.layers)]
    named = {name for node in nodes if node is not None for name in _NAMED.findall(node.source.text)}
    named |= set(adoption.names) if adoption is not None else set()
    hide(_secrets(overrides, named, ()))
    found = resolve(document, plan, folder, overrides, faults, adoption)
    hide(_secrets(overrides, named, found.filler.secret_names))
    return found


def mapping_for(path: Path, by: str | Path | None) -> Path | None:
    """Return the mapping that a document is read through: the named one, else one beside it; None for a plan."""
    if by is not None and str(by):
        return None if str(by) == "-" else Path(by)
    if not path.name or path.name == "-":
        return None
    beside = path.with_name(f"{path.stem}.mapping.yaml"), path.with_name(f"{path.name}.mapping.yaml")
    if not any(one.is_file() for one in beside):  # before anything of documents is loaded
        return None
    from vetrina.formats.adopting import mapping_beside  # noqa: PLC0415  (plans need none of it)

    return mapping_beside(path)


def _read_plan(
    path: Path, name: str, faults: list[Fault], texts: AbstractMapping[str, str], by: Path | None
) -> tuple[Node | None, Adoption | None]:
    """Return the plan's document, and how it was read where it is in another format."""
    if by is None:
        try:
            found = _read(path, name, faults, texts)
            if found is not None and not isinstance(found, Mapping):
                raise unreadable(
                    name, f"a plan is a mapping, and this is {kind_of(found)}", "", "begin with vetrina: 1", *found.place[1:]
                )
        except Unreadable as unread:
            raise Unreadable([_or_a_mapping(one, path) for one in unread.faults]) from None
        return found, None
    from vetrina.formats.adopting import read_adopted  # noqa: PLC0415  (plans need none of it)

    return read_adopted(path, name, by, faults, texts)


class DocumentText(Struct, frozen=True):
    """A document's text as it was read, by its name, and the codec that makes its bytes again."""

    name: str
    text: str
    codec: str


def documents_of(plan: Path, by: Path | None) -> list[DocumentText]:
    """Return the documents that a plan is read from: itself and what it includes; none where it is a plan."""
    if by is None:
        return []
    from vetrina.formats.adopting import read_adopted  # noqa: PLC0415  (plans need none of it)

    faults: list[Fault] = []
    _, adoption = read_adopted(plan, str(plan), by, faults)
    return [DocumentText(one.source.name, one.source.text, adoption.codecs[one.source.name]) for one in adoption.documents]


_FOREIGN = frozenset({".xml", ".json", ".ini", ".conf", ".cfg", ".properties", ".config"})


def _or_a_mapping(fault: Fault, path: Path) -> Fault:
    """Return a fault of what is no plan, with the way to read it: it may be in another format."""
    if path.suffix.lower() not in _FOREIGN or "no such file" in fault.what or "may not be read" in fault.what:
        return fault
    return replace(
        fault, fix=f"a document in another format is read through a mapping: vetrina adopt {path} --draft begins one"
    )


_LARGEST_ENV = 1 << 20
_NAMED = re.compile(r"\$\{([A-Za-z_][A-Za-z0-9_]*)")


def _secrets(overrides: Overrides, named: set[str], extra: tuple[str, ...]) -> Iterator[str]:
    """Yield the values from outside under credentials' names; of the process environment those that the plan names."""
    for table in (overrides.env, overrides.env_file):
        yield from (given.text for name, given in table.items() if looks_secret(name, extra))
    yield from (overrides.environment[name] for name in named & overrides.environment.keys() if looks_secret(name, extra))


def read_plan(
    plan: str | Path,
    *,
    stages: Sequence[str] = (),
    layers: Sequence[str | Path] = (),
    env: Sequence[str] = (),
    env_files: Sequence[str | Path] = (),
    sets: Sequence[str] = (),
    tunes: Sequence[str] = (),
    environment: AbstractMapping[str, str] | None = None,
    by: str | Path | None = None,
) -> Plan:
    """Return the plan in force; see `read_resolved_plan` for the options and the faults."""
    return read_resolved_plan(
        plan, stages=stages, layers=layers, env=env, env_files=env_files, sets=sets, tunes=tunes, environment=environment, by=by
    ).plan


def _read(path: Path, name: str, faults: list[Fault], texts: AbstractMapping[str, str]) -> Node | None:
    text = texts[name] if name in texts else decode(read_bytes(path, name), name)
    return read_document(text, Source(name, "file", text), faults.append)


def _set_option(text: str, faults: list[Fault]) -> SetOption | None:
    source = Source(f"--set {text}", "option")
    try:
        steps, rest = parse_path(text)
        if not rest:
            raise NotUnderstood("there is no = after the path")  # noqa: TRY301
    except NotUnderstood as reason:
        faults.append(Fault("call", f"this is not PATH=VALUE: {reason}", fix="write --set 'loggers[ropeway.gate].level=debug'",
                            where=source.name))  # fmt: skip
        return None
    try:
        node = read_document(rest[1:], source, faults.append)
    except Refused as refused:
        faults.append(Fault("call", f"the value is not YAML: {refused.faults[0].what}", where=source.name))
        return None
    return SetOption(f"--set {text}", steps, node or synthetic(source, ""), source)


def _tune_option(text: str, faults: list[Fault]) -> TuneOption | None:
    logger, equals, level = text.rpartition("=")
    if not equals or not level.strip():
        faults.append(Fault("call", "this is not LOGGER=LEVEL", fix="write --tune ropeway.gate=debug", where=f"--tune {text}"))
        return None
    return TuneOption(f"--tune {text}", logger.strip(), level.strip(), Source(f"--tune {text}", "option"))


def outside_values(
    env: Sequence[str], env_files: Sequence[str | Path], faults: list[Fault]
) -> tuple[dict[str, Given], dict[str, Given]]:
    """Return what `--env` and `--env-file` give for placeholders, by their names."""
    return _given(env, faults), _env_files(env_files, faults)


def _given(env: Sequence[str], faults: list[Fault]) -> dict[str, Given]:
    found: dict[str, Given] = {}
    for text in env:
        name, equals, value = text.partition("=")
        if not equals or not NAME.match(name):
            faults.append(Fault("call", "this is not NAME=VALUE", fix="write --env ROPEWAY_LOGS=/tmp/logs",
                                where=f"--env {name if equals else text}"))  # fmt: skip
            continue
        found[name] = Given(value, "--env")
    return found


def _env_files(paths: Sequence[str | Path], faults: list[Fault]) -> dict[str, Given]:
    found: dict[str, Given] = {}
    for path in paths:
        found |= _env_file(Path(path), str(path), faults)
    return found


def _env_file(path: Path, name: str, faults: list[Fault]) -> dict[str, Given]:
    from io import StringIO  # noqa: PLC0415  (env files are rare)

    from dotenv.parser import parse_stream  # noqa: PLC0415

    data = read_bytes(path, name)
    if len(data) > _LARGEST_ENV:
        raise unreadable(
            name, f"an env file of more than {_LARGEST_ENV >> 20} MiB", "this is no list of settings", "name another file"
        )
    text = decode(data, name)
    found: dict[str, Given] = {}
    for binding in parse_stream(StringIO(text)):
        line = binding.original.line + (len(binding.original.string) - len(binding.original.string.lstrip("\r\n")) > 0)
        place = Place(name, binding.original.line, 1)
        if binding.error:
            shown = binding.original.string.strip().partition("=")[0][:40]
            faults.append(Fault("env-file", f'line {line} ("{shown}…") is not NAME=VALUE', fix="quote values with blanks; begin remarks with #",
                                place=place))  # fmt: skip
        elif binding.key is not None:
            if binding.value is None or not NAME.match(binding.key):
                faults.append(Fault("env-file", f'"{binding.key[:40]}" is not NAME=VALUE', place=place,
                                    fix="a name is letters, digits and _, then ="))  # fmt: skip
                continue
            found[binding.key] = Given(binding.value, f"env file {name}", place)
    return found
