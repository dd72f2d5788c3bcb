"""Service files: read, with placeholders filled and every fault at its place; and their schema."""

from __future__ import annotations

import os
from collections.abc import Mapping as AbstractMapping
from collections.abc import Sequence
from pathlib import Path

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.faults import Fault, Refused, refuse
from vetrina.core.base.hidden import hide
from vetrina.core.base.secrets import looks_secret
from vetrina.core.config.merging import merge
from vetrina.core.config.placeholders import Filler
from vetrina.core.config.reading import PlanReader, with_values
from vetrina.core.schema.held import Layer
from vetrina.core.schema.kinds import PLACEHOLDER, Schema, definitions
from vetrina.core.schema.nodes import Mapping, Scalar, Source
from vetrina.core.services.building import build_service
from vetrina.core.services.grammar import SERVICE, VERSION, ServiceKeys
from vetrina.core.services.service import Service
from vetrina.formats.documents import decode, read_bytes, read_document
from vetrina.formats.notations.json_paths import compiled
from vetrina.formats.plans import outside_values
from vetrina.formats.schemas import DIALECT


def service_schema() -> Schema:
    """Return the JSON Schema of a service file."""
    found = SERVICE.as_object()
    properties = {**found["properties"], "vetrina-service": {"const": VERSION, "description": "version of the format"}}
    return {"$schema": DIALECT, "title": "Vetrina service", **found, "properties": properties, "required": ["vetrina-service"],
            "$defs": definitions(*SERVICE.parts()) | {"placeholder": PLACEHOLDER}}  # fmt: skip


def read_service(
    path: Path,
    *,
    env: Sequence[str] = (),
    env_files: Sequence[str | Path] = (),
    environment: AbstractMapping[str, str] | None = None,
) -> Service:
    """Return the service of a file; raise Refused with every fault.

    ``env`` holds `NAME=VALUE`; ``environment`` is the process's own unless given. What must never be shown is hidden from here on.
    """
    name = str(path)
    faults: list[Fault] = []
    options, files = outside_values(env, env_files, faults)
    document = read_document(decode(read_bytes(path, name), name), Source(name, "file", ""), faults.append)
    if not isinstance(document, Mapping):
        raise refuse("this is no service file", fix=f"begin with vetrina-service: {VERSION}", where=name)
    version = document.get("vetrina-service")
    if not isinstance(version, Scalar) or version.text != str(VERSION):
        fix = f"begin with vetrina-service: {VERSION}"
        raise refuse("this is no service file of a known version", fix=fix, place=(version or document).place)
    shaped = SERVICE.shape(document, faults.append, layered=False)
    if faults or shaped is None:
        raise Refused(faults)
    given = document.get("values")
    values = {key.text: value for key, value in given.pairs if isinstance(value, Scalar)} if isinstance(given, Mapping) else {}
    filler = Filler(options, files, values, os.environ if environment is None else environment)
    reader = PlanReader(filler)
    keys: ServiceKeys = SERVICE.read(merge(SERVICE, None, Layer("file", name), shaped), reader)
    hide(reader.hidden)
    real = Path(os.path.realpath(path))
    service = build_service(keys, _no_path, reader.report, name, str(real.parent))
    named = (value.text for name, value in values.items() if looks_secret(name))
    hide([*service.hidden, *named])
    if reader.faults:
        raise Refused(with_values(one, reader) for one in reader.faults)
    return service


def _no_path(text: str) -> str:
    try:
        compiled(text, {})
    except NotUnderstood as reason:
        return str(reason)
    return ""
