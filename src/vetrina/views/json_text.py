"""Documents as JSON text, without what is hidden."""

from __future__ import annotations

from typing import Any

import msgspec

from vetrina.core.base.events import NOT_TEXT, compact_json
from vetrina.core.base.hidden import shown_json


def json_text(document: Any) -> str:
    """Return a document as compact JSON."""
    return visible(compact_json(shown_json(msgspec.to_builtins(document))))


def json_line(document: Any) -> str:
    """Return a document as a line of JSON, with its line feed."""
    return json_text(document) + "\n"


def visible(text: str) -> str:
    r"""Return JSON text with the bytes of names that are not UTF-8 as `\\xff`, which every parser reads."""
    return NOT_TEXT.sub(lambda found: f"\\\\x{ord(found[0]) & 0xFF:02x}", text)
