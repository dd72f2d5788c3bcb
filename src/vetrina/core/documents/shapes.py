"""The shape of a document: what is repeated in it, and which values each of the repeated parts has.

Here: groups and their fields, whatever the notation. Not here: what they may mean (drafting.py).
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator

from msgspec import Struct, field

from vetrina.core.documents.tree import Document, Part

OWN_NAME = "{key: 0}"
"""The look-up of a single member's name."""
_NO_PREFIX = "in"
_IDENTIFIER = re.compile(r"[A-Za-z_]\w*\Z")
_SECTION = re.compile(r"([A-Za-z][\w-]*)\s*([:./\\ ]+)\s*(\S.*)\Z")


class Field(Struct):
    """A value that the parts of a group have: the look-up that takes it (as YAML), and the texts for each part.

    ``below`` is the path of the parts between, where the value stands in one that can be repeated itself.
    """

    look: str
    values: list[list[str]]
    below: str = ""
    inner: str = ""

    def texts(self) -> list[str]:
        """Return all texts, in order."""
        return [text for several in self.values for text in several if text]

    def unique(self) -> bool:
        """Tell whether each part has one text, and no two the same."""
        texts = [several[0] for several in self.values if len(several) == 1 and several[0]]
        return len(texts) == len(self.values) == len(set(texts))

    def names(self) -> bool:
        """Tell whether each part has one text, and most are different: an entry may be there for a stage as well."""
        texts = [several[0] for several in self.values if len(several) == 1 and several[0]]
        return len(texts) == len(self.values) and len(set(texts)) * 2 > len(texts)


class Group(Struct):
    """Parts that are alike: what takes them (as YAML), what they are called, and their fields by their look-ups."""

    each: str
    label: str
    parts: list[Part]
    fields: dict[str, Field] = field(default_factory=dict)
    nested: bool = False

    def add(self, at: int, look: str, text: str, below: str = "", inner: str = "") -> None:
        """Note that the part at a place has a text."""
        one = self.fields.get(look)
        if one is None:
            one = self.fields[look] = Field(look, [[] for _ in self.parts], below, inner)
        one.values[at].append(text)


def groups(document: Document) -> list[Group]:
    """Return the groups of a document, in document order."""
    if document.shape == "elements":
        return list(_elements(document))
    if document.shape == "lines":
        return list(_lines(document.root))
    if document.shape == "sections":
        return [*_sections(document.root), *_maps(document.root, "$")]
    return list(_objects(document.root, "$"))


def quoted(text: str) -> str:
    """Return a text as YAML in single quotes."""
    return "'" + text.replace("'", "''") + "'"


# xml


def spaces(document: Document) -> dict[str, str]:
    """Return the prefixes that paths of an xml document need, with the namespaces that they stand for."""
    found: dict[str, str] = {}
    for part in document.elements("") if document.shape == "elements" else ():
        for one in (part, *part.attributes):
            space, brace, _ = (one.name or "").rpartition("}")
            if brace:
                found[_named(one).partition(":")[0]] = space[1:]
    return found


def _named(part: Part) -> str:
    """Return a part's name as a step of a path: one of a namespace without a prefix is given one."""
    return f"{_NO_PREFIX}:{part.label}" if (part.name or "").startswith("{") and ":" not in part.label else part.label


def _elements(document: Document) -> Iterator[Group]:
    named: dict[str, list[Part]] = {}
    for part in document.elements(""):
        named.setdefault(_named(part), []).append(part)
    for label, parts in named.items():
        each = f"//{label}" if len(parts) > 1 or ":" in label else parts[0].path
        group = Group(quoted(each), label, parts, nested=any(_above(part) for part in parts))
        for at, part in enumerate(parts):
            _element_fields(group, at, part)
        yield group


def _above(part: Part) -> bool:
    here = part.parent
    while here is not None:
        if here.name == part.name:
            return True
        here = here.parent
    return False


def _element_fields(group: Group, at: int, part: Part) -> None:
    for one in part.attributes:
        group.add(at, f'"@{_named(one)}"', one.text)
    if not any(one.kind == "element" for one in part.children) and part.string().strip():
        group.add(at, '"."', part.string().strip())
    for child in part.children:
        if child.kind != "element" or child.name == part.name:
            continue
        label = _named(child)
        if not any(one.kind == "element" for one in child.children) and child.string().strip():
            group.add(at, label, child.string().strip(), label, '"."')
        for one in child.attributes:
            group.add(at, f"{label}/@{_named(one)}", one.text, label, f'"@{_named(one)}"')


# json, yaml


def step(name: str) -> str:
    """Return a member's name as a step of a JSONPath."""
    return f".{name}" if _IDENTIFIER.match(name) else f"[{json.dumps(name, ensure_ascii=False)}]"


def _objects(part: Part, path: str) -> Iterator[Group]:
    """Yield the arrays of objects, the objects of objects and the objects of values below a part."""
    if part.kind == "object":
        yield from _map(part, path)
        for one in part.children:
            yield from _objects(one, path + step(one.name or ""))
    elif part.kind == "array" and part.children and all(one.kind == "object" for one in part.children):
        group = Group(quoted(f"{path}[*]"), path, part.children)
        for at, one in enumerate(part.children):
            _object_fields(group, at, one, "$")
        yield group
        for one in part.children:
            for inner in one.children:
                yield from _objects(inner, f"{path}[*]{step(inner.name or '')}") if inner.kind == "object" else ()


def _map(part: Part, path: str) -> Iterator[Group]:
    """Yield an object whose members are all alike: objects, or values."""
    if len(part.children) < 2:
        return
    inside = {one.kind for one in part.children}
    if inside in ({"object"}, {"value"}):
        each = "{members: '(?P<name>.+)'}" if path == "$" else f"{{of: {quoted(path)}, members: '(?P<name>.+)'}}"
        group = Group(each, path, part.children)
        for at, one in enumerate(part.children):
            group.add(at, '{text: "<name>"}', one.name or "")
            if one.kind == "object":
                _object_fields(group, at, one, "$")
            else:
                group.add(at, '"$"', one.text)
        yield group


def _object_fields(group: Group, at: int, part: Part, path: str, *, deep: bool = True) -> None:
    for one in part.children:
        look = path + step(one.name or "")
        if one.kind == "value":
            group.add(at, quoted(look), one.text)
        elif one.kind == "object" and deep:
            _object_fields(group, at, one, look, deep=False)
        elif one.kind == "array":
            for item in one.children:
                if item.kind == "value":
                    group.add(at, quoted(look), item.text, f"{look}[*]", '"$"')
                for inner in item.children if item.kind == "object" else ():
                    if inner.kind == "value":
                        inside = f"${step(inner.name or '')}"
                        group.add(at, quoted(f"{look}[*]{step(inner.name or '')}"), inner.text, f"{look}[*]", quoted(inside))


# ini


def _sections(root: Part) -> Iterator[Group]:
    """Yield the sections whose names begin alike (`pipe:day`, `pipe:roll`)."""
    alike: dict[tuple[str, str], list[tuple[Part, str]]] = {}
    for part in root.children:
        found = _SECTION.match(part.name or "")
        if found is not None:
            alike.setdefault((found[1], found[2]), []).append((part, found[3]))
    for (word, sign), several in alike.items():
        each = f"{{members: {quoted(re.escape(word + sign) + '(?P<name>.+)')}}}"
        group = Group(each, f"[{word}{sign}…]", [part for part, _ in several])
        for at, (part, name) in enumerate(several):
            group.add(at, '{text: "<name>"}', name)
            _object_fields(group, at, part, "$")
        yield group


def _maps(root: Part, path: str) -> Iterator[Group]:
    for part in root.children:
        if part.children and _SECTION.match(part.name or "") is None:
            yield from _map(part, path + step(part.name or ""))
            if len(part.children) == 1:
                yield from _single(part, path + step(part.name or ""))


def _single(part: Part, path: str) -> Iterator[Group]:
    group = Group(f"{{of: {quoted(path)}, members: '(?P<name>.+)'}}", path, part.children)
    group.add(0, '{text: "<name>"}', part.children[0].name or "")
    group.add(0, '"$"', part.children[0].text)
    yield group


# lines


def _lines(root: Part) -> Iterator[Group]:
    """Yield keys that begin with the same word: `word.NAME = value`, and `word.NAME.what = value`."""
    words: dict[str, list[tuple[Part, str]]] = {}
    for part in root.children:
        word, dot, rest = (part.name or "").partition(".")
        if dot and rest:
            words.setdefault(word, []).append((part, rest))
        else:
            words.setdefault("", []).append((part, part.name or ""))
    alone = words.pop("", [])
    for word, several in words.items():
        yield from _dotted(word, several)
    for part, name in alone:
        group = Group(f"{{members: {quoted(re.escape(name))}}}", name, [part])
        group.add(0, OWN_NAME, name)
        group.add(0, '"$"', part.text)
        yield group


def _dotted(word: str, several: list[tuple[Part, str]]) -> Iterator[Group]:
    ends: dict[str, list[str]] = {}
    for _, rest in several:
        name, dot, end = rest.partition(".")
        if dot:
            ends.setdefault(name, []).append(end)
    inner = all("." in rest for _, rest in several)
    many = len(ends) < len(several) or any("/" in part.text for part, _ in several)
    common = _common(ends.values(), len(ends)) if inner and many else ""
    if common and "." not in common:
        yield from _with_ends(word, several, common)
        return
    group = Group(f"{{members: {quoted(re.escape(word + '.') + '(?P<name>.+)')}}}", f"{word}.…", [part for part, _ in several])
    for at, (part, rest) in enumerate(several):
        group.add(at, '{text: "<name>"}', rest)
        group.add(at, '"$"', part.text)
    yield group


def _common(ends: Iterable[list[str]], names: int) -> str:
    """Return the last word that most names have, nothing where there is none."""
    counts: dict[str, int] = {}
    for several in ends:
        for one in set(several):
            counts[one] = counts.get(one, 0) + 1
    best = max(counts, key=lambda one: counts[one], default="")
    return best if best and counts[best] * 2 > names else ""


def _with_ends(word: str, several: list[tuple[Part, str]], common: str) -> Iterator[Group]:
    named = [(part, rest.removesuffix(f".{common}")) for part, rest in several if rest.endswith(f".{common}")]
    expression = re.escape(f"{word}.") + "(?P<name>.+)" + re.escape(f".{common}")
    group = Group(f"{{members: {quoted(expression)}}}", f"{word}.….{common}", [part for part, _ in named])
    for at, (part, name) in enumerate(named):
        group.add(at, '{text: "<name>"}', name)
        group.add(at, '"$"', part.text)
        for other, rest in several:
            if other is not part and rest.startswith(f"{name}."):
                group.add(at, f'{{member: "{word}.<name>.{rest[len(name) + 1 :]}"}}', other.text)
    yield group
