"""The page: panels around one another, its look, its program and its data, all in one file.

A panel is one file in `panels/`, shown in the order of their names; one that sets an empty `title` is left out. What a page
may do stands in its policy (Content Security Policy Level 3): run the program and use the look whose digests it names,
show pictures that are in it, and nothing else.
"""

from __future__ import annotations

import base64
import hashlib
import re
from collections.abc import Iterable
from functools import cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup
from msgspec import Struct

from vetrina.core.base.wording import counted
from vetrina.views.json_text import json_text
from vetrina.views.screen import safe

_HERE = Path(__file__).parent
_MARKUP = re.compile("[<>&\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb]")
"""What could be markup in a script, and what steers text without being seen."""


class Picture(Struct):
    """A drawing (SVG) with what it shows, in words."""

    title: str
    words: str
    svg: bytes

    @property
    def address(self) -> str:
        """Return it as the address of an image (RFC 2397)."""
        return f"data:image/svg+xml;base64,{base64.b64encode(self.svg).decode()}"


class Panel(Struct):
    """A part of the page under a heading of its own."""

    name: str
    title: str
    body: Markup


class _Environment(Environment):
    """Templates that escape everything, and fail on what is not there."""

    def __init__(self) -> None:
        super().__init__(
            loader=FileSystemLoader(_HERE), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
        )
        self.filters["safe_text"] = safe
        self.globals["counted"] = counted


@cache
def _environment() -> _Environment:
    return _Environment()


def page_text(data: dict[str, Any], **parts: Any) -> str:
    """Return the page; ``data`` is what its program works with, ``parts`` what the panels show as it is."""
    environment = _environment()
    program = (_HERE / "page.mjs").read_text(encoding="utf-8")
    look = (_HERE / "page.css").read_text(encoding="utf-8")
    parts |= {"data": data}
    return environment.get_template("page.html").render(
        parts,
        panels=list(_panels(environment, parts)),
        policy=_policy(program, look),
        program=Markup(program),  # noqa: S704  (our own)
        look=Markup(look),  # noqa: S704
        json=Markup(_as_script(json_text(data))),  # noqa: S704  (escaped one line below)
    )


def _panels(environment: Environment, parts: dict[str, Any]) -> Iterable[Panel]:
    for path in sorted((_HERE / "panels").glob("*.html")):
        module: Any = environment.get_template(f"panels/{path.name}").make_module(parts)
        if module.title:
            yield Panel(path.stem.partition("-")[2], module.title, Markup(module))  # noqa: S704  (escaped by the template)


def _as_script(text: str) -> str:
    """Return JSON that means the same, and in which nothing is markup."""
    return _MARKUP.sub(lambda found: f"\\u{ord(found[0]):04x}", text)


def _policy(program: str, look: str) -> str:
    return "; ".join([
        "default-src 'none'", f"script-src '{_digest(program)}'", f"style-src '{_digest(look)}'", "img-src data:",
        "base-uri 'none'", "form-action 'none'",
    ])  # fmt: skip


def _digest(text: str) -> str:
    return f"sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}"
