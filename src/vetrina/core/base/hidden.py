"""Texts that are shown nowhere: values from outside the plan whose name looks like a credential's.

Everything that people or programs read goes through `shown`, whatever made it, so that no view has to think of it. Texts
of fewer than four characters are too short for that: they are hidden only where the plan's own text is shown.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

SHORTEST = 4
MASK = "***"
_HIDDEN: list[str] = []


def hide(texts: Iterable[str]) -> None:
    """Hide some texts from now on, also as they stand in JSON and in a URL."""
    secrets = [text for text in texts if len(text) >= SHORTEST]
    if not secrets:
        return
    from urllib.parse import quote  # noqa: PLC0415  (where there is something to hide)

    found = {*_HIDDEN}
    for text in secrets:
        found |= {text, json.dumps(text)[1:-1], json.dumps(text, ensure_ascii=False)[1:-1], quote(text, safe="")}
    _HIDDEN[:] = sorted(found, key=lambda one: (-len(one), one))


def hidden() -> tuple[str, ...]:
    """Return what is hidden, for another process."""
    return tuple(_HIDDEN)


def hide_as_elsewhere(texts: Iterable[str]) -> None:
    """Hide what another process hides, and nothing else."""
    _HIDDEN[:] = texts


def shown(text: str) -> str:
    """Return a text without what is hidden, also where a text that was cut off ends with the beginning of it."""
    for hidden in _HIDDEN:
        if hidden[:SHORTEST] not in text:
            continue
        text = text.replace(hidden, MASK)
        for length in range(len(hidden) - 1, SHORTEST - 1, -1):
            begun = hidden[:length]
            if text.endswith(begun):
                text = text[:-length] + MASK
            text = text.replace(f"{begun}…", f"{MASK}…")
    return text


def shown_json(value: Any) -> Any:
    """Return a JSON value with all its texts, keys too, as `shown` gives them."""
    if not _HIDDEN:
        return value
    if isinstance(value, str):
        return shown(value)
    if isinstance(value, dict):
        return {shown(str(name)): shown_json(one) for name, one in value.items()}
    if isinstance(value, list | tuple):
        return [shown_json(one) for one in value]
    return value
