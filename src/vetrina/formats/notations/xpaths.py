"""XPath 1.0 over a document's parts.

Plain steps (names, attributes, axes, `[@name='text']`) are walked here; everything else goes to the library
(xpath_library.py). Measured: docs/benchmarks.md, "a document of 10,000
loggers": the library takes eight times as long for `@name`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence

from msgspec import Struct

from vetrina.core.documents.notation import Path
from vetrina.core.documents.tree import Part

_XML = "http://www.w3.org/XML/1998/namespace"
_NAME = r"[^\W\d][\w.-]*"
_STEP = re.compile(
    rf"""(?:(?P<axis>child|attribute|self|parent|ancestor|ancestor-or-self|descendant|descendant-or-self)::|(?P<at>@))?
    (?P<test>{_NAME}(?::{_NAME})?|\*)(?![\w(:.-])(?P<asked>(?:\[\s*@{_NAME}\s*=\s*(?:'[^']*'|"[^"]*")\s*\])*)|(?P<dots>\.\.?)(?![\w.])""",
    re.VERBOSE,
)
_ASKED = re.compile(rf"""\[\s*@({_NAME})\s*=\s*(?:'([^']*)'|"([^"]*)")\s*\]""")


class _Step(Struct, frozen=True):
    """One step: its axis, the name it wants (`*`: any; empty: any node at all), what its attributes must be, and whether `//` stands before it."""

    axis: str
    name: str
    asked: tuple[tuple[str, str], ...] = ()
    deep: bool = False


def compiled(text: str, spaces: Mapping[str, str]) -> Path:
    """Return a compiled path; raise NotUnderstood with the reason where it is no XPath."""
    plain = _plain(text.strip(), spaces)
    if plain is not None:
        return plain
    from vetrina.formats.notations.xpath_library import LibraryPath  # noqa: PLC0415  (for such paths only)

    return LibraryPath(text, spaces)


def _plain(text: str, spaces: Mapping[str, str]) -> PlainPath | None:
    """Return a path of plain steps, None for any other."""
    absolute = text.startswith("/")
    if text == "/":
        return PlainPath((), absolute=True)
    steps: list[_Step] = []
    position = 0
    while position < len(text) or not steps:
        slashes = 2 if text.startswith("//", position) else 1 if text.startswith("/", position) else 0
        if bool(slashes) != bool(steps or absolute):
            return None
        found = _STEP.match(text, position + slashes)
        step = _step(found, spaces, deep=slashes == 2) if found else None
        if found is None or step is None:
            return None
        steps.append(step)
        position = found.end()
    return PlainPath(tuple(steps), absolute=absolute)


def _step(found: re.Match[str], spaces: Mapping[str, str], *, deep: bool) -> _Step | None:
    if found["dots"]:
        return None if deep else _Step("self" if found["dots"] == "." else "parent", "")
    axis = found["axis"] or ("attribute" if found["at"] else "child")
    name = "*" if found["test"] == "*" else _expanded(found["test"], spaces)
    if name is None or (deep and axis not in {"child", "attribute"}):
        return None
    asked = tuple((one[1], one[2] if one[2] is not None else one[3]) for one in _ASKED.finditer(found["asked"] or ""))
    return _Step(axis, name, asked, deep)


def _expanded(name: str, spaces: Mapping[str, str]) -> str | None:
    prefix, colon, local = name.partition(":")
    if not colon:
        return name
    space = spaces.get(prefix, _XML if prefix == "xml" else None)
    return None if space is None else f"{{{space}}}{local}"


class PlainPath(Struct, frozen=True):
    """A path of plain steps."""

    steps: tuple[_Step, ...]
    absolute: bool

    def select(self, part: Part) -> Sequence[Part]:
        """Return the parts in document order."""
        steps = self.steps
        if len(steps) == 1 and not self.absolute and steps[0].axis in {"attribute", "child"} and not steps[0].asked:
            return _AXES[steps[0].axis](part, steps[0].name)
        found: list[Part] = [part.document.root] if self.absolute else [part]
        if self.absolute and steps and steps[0].deep and steps[0].axis == "child":
            found = list(part.document.elements("" if steps[0].name == "*" else steps[0].name))
            found = [one for one in found if _has(one, steps[0].asked)] if steps[0].asked else found
            steps = steps[1:]
        for step in steps:
            found = _walk(found, step)
            if not found:
                break
        return found


def _walk(parts: list[Part], step: _Step) -> list[Part]:
    """Return what one step takes from some parts, each once, in document order."""
    axis, name = _AXES[step.axis], step.name
    if step.deep:
        parts = [one for part in parts for one in _subtree(part)]
    found = [one for part in parts for one in axis(part, name)]
    if step.asked:
        found = [one for one in found if _has(one, step.asked)]
    if len(parts) > 1 and len(found) > 1:
        found = sorted({id(one): one for one in found}.values(), key=_order)
    elif step.axis in _BACKWARD:
        found.reverse()
    return found


def _order(part: Part) -> int:
    return part.order


def _has(part: Part, asked: tuple[tuple[str, str], ...]) -> bool:
    """Tell whether an element's attributes are as asked; what is compared is touched, whatever comes of it."""
    fits = True
    for name, wanted in asked:
        given = next((one for one in part.attributes if one.name == name), None)
        if given is not None:
            given.touch()
        fits = fits and given is not None and given.text == wanted
    return fits


def _subtree(part: Part) -> Iterator[Part]:
    if part.kind in {"element", "document"}:
        yield part
        for child in part.children:
            if child.kind == "element":
                yield from _subtree(child)


def _children(part: Part, name: str) -> list[Part]:
    return [one for one in part.children if one.kind == "element" and name in {"*", one.name}]


def _attributes(part: Part, name: str) -> list[Part]:
    return [one for one in part.attributes if name in {"*", one.name}]


def _self(part: Part, name: str) -> list[Part]:
    return [part] if not name or _named(part, name) else []


def _named(part: Part, name: str) -> bool:
    """Tell whether a part is an element of that name."""
    return part.kind == "element" and name in {"*", part.name}


def _parent(part: Part, name: str) -> list[Part]:
    return [part.parent] if part.parent is not None and (not name or _named(part.parent, name)) else []


def _ancestors(part: Part, name: str) -> list[Part]:
    found, here = [], part.parent
    while here is not None:
        if _named(here, name):
            found.append(here)
        here = here.parent
    return found


def _ancestors_or_self(part: Part, name: str) -> list[Part]:
    own = [part] if _named(part, name) else []
    return own + _ancestors(part, name)


def _descendants(part: Part, name: str) -> list[Part]:
    return [one for one in _subtree(part) if one is not part and _named(one, name)]


def _descendants_or_self(part: Part, name: str) -> list[Part]:
    return [one for one in _subtree(part) if _named(one, name)]


_BACKWARD = {"ancestor", "ancestor-or-self"}
_AXES: dict[str, Callable[[Part, str], list[Part]]] = {
    "child": _children,
    "attribute": _attributes,
    "self": _self,
    "parent": _parent,
    "ancestor": _ancestors,
    "ancestor-or-self": _ancestors_or_self,
    "descendant": _descendants,
    "descendant-or-self": _descendants_or_self,
}
