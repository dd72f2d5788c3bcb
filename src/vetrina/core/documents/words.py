"""A document's own words for levels and for true and false, and texts with what a match took in them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.expressions import Expression

_NUMBER = re.compile(r"[-+]?\d+(?:\.\d+)?\Z")
_BOUNDS = re.compile(r"\s*([-+]?\d+(?:\.\d+)?)?\s*\.\.\s*([-+]?\d+(?:\.\d+)?)?\s*\Z")


def bounds(text: str) -> tuple[float, float] | None:
    """Return the ends of a range of numbers (`40..59`, `40..`, `..59`; both included), None for any other text."""
    found = _BOUNDS.match(text)
    if found is None or not (found[1] or found[2]):
        return None
    return (float(found[1]) if found[1] else float("-inf"), float(found[2]) if found[2] else float("inf"))


class LevelWords(Struct, frozen=True):
    """What a document's words for levels, and ranges of its numbers, mean in a plan."""

    words: Mapping[str, str]
    ranges: tuple[tuple[float, float, str], ...] = ()

    def __call__(self, text: str) -> str:
        """Return the plan's word; one that is not listed stays."""
        word = text.strip()
        found = self.words.get(word.lower())
        if found is None and self.ranges and _NUMBER.match(word):
            number = float(word)
            found = next((name for low, high, name in self.ranges if low <= number <= high), None)
        return word if found is None else found


class RangeWords(Struct, frozen=True):
    """What a range of levels means, each end with the document's words."""

    levels: LevelWords

    def __call__(self, text: str) -> str:
        """Return the range in the plan's words."""
        whole = self.levels(text)
        if whole != text.strip() or ".." not in text:
            return whole
        low, _, high = text.strip().partition("..")
        return f"{self.levels(low) if low else ''}..{self.levels(high) if high else ''}"


class FlagWords(Struct, frozen=True):
    """What a document's words for true and false mean."""

    yes: frozenset[str]
    no: frozenset[str]

    def __call__(self, text: str) -> str:
        """Return `true` or `false`, or the text where it is neither."""
        word = text.strip().lower()
        if word in self.yes or word == "true":
            return "true"
        return "false" if word in self.no or word == "false" else text.strip()


_LITERAL = re.compile(r"(?:(?:\\([^\w\s])|([^\\.^$|?*+()\[\]{}]))(?![?*+{]))*")


def begins_with(expression: str) -> str:
    """Return the text that whatever an expression matches begins with, as far as the expression shows it."""
    found = _LITERAL.match(expression)
    if found is None or "|" in expression or _FLAGS.search(expression):
        return ""
    return re.sub(r"\\(.)", r"\1", found.group())


_ONE_GROUP = re.compile(
    r"((?:\\[^\w\s]|[^\\.^$|?*+()\[\]{}])*)\(\?P<([A-Za-z_]\w*)>\.\+\)((?:\\[^\w\s]|[^\\.^$|?*+()\[\]{}])*)\Z"
)


def around(expression: str) -> tuple[str, str, str] | None:
    """Return what stands before the one group `(?P<name>.+)` of an expression, its name, and what stands after it; else None."""
    found = _ONE_GROUP.match(expression)
    if found is None:
        return None
    before, after = (re.sub(r"\\(.)", r"\1", text) for text in (found[1], found[3]))
    return before, found[2], after


_FLAGS = re.compile(r"\(\?[a-zA-Z]*[-imsU]")
"""A group that changes how letters are told apart, or what an expression stops at."""
_AT_LAST = re.compile(r"\)((?:\\[^\w\s]|[^\\.^$|?*+()\[\]{}])*)\Z")


def ends_with(expression: str) -> str:
    """Return the text that whatever an expression matches entirely ends with, as far as the expression shows it."""
    found = _AT_LAST.search(expression)
    if found is None or "|" in expression or _FLAGS.search(expression):
        return ""
    return re.sub(r"\\(.)", r"\1", found[1])


def matcher(members: Expression) -> Callable[[str], Mapping[str, str | None] | None]:
    """Return what gives the groups of a name that an expression matches entirely, None for another name.

    Most such expressions are a group between two texts; RE2 is asked for the others (docs/benchmarks.md, documents of lines).
    """
    simple = around(members.text)
    if simple is None:
        begin, end = begins_with(members.text), ends_with(members.text)

        def matched(name: str) -> Mapping[str, str | None] | None:
            found = members.fullmatch(name) if name.startswith(begin) and name.endswith(end) else None
            return None if found is None else found.groupdict()

        return matched
    before, group, after = simple
    least = len(before) + len(after)

    def between(name: str) -> Mapping[str, str | None] | None:
        if len(name) <= least or not name.startswith(before) or not name.endswith(after):
            return None
        text = name[len(before) : len(name) - len(after)]
        return None if "\n" in text else {group: text}

    return between


Tables = Mapping[str, Mapping[str, str]]
_HOLE = re.compile(r"<<|<([A-Za-z_]\w*)(?:\|([^<>|]+))?>")


class Filling(Struct, frozen=True):
    """A mapping's text with `<group>` and `<group|TABLE>` in it; `<<` is a literal <."""

    pieces: tuple[str | tuple[str, str], ...]

    def groups(self) -> Iterator[str]:
        """Yield the groups that it wants."""
        return (one[0] for one in self.pieces if not isinstance(one, str))

    def tables(self) -> Iterator[str]:
        """Yield the tables that it wants."""
        return (one[1] for one in self.pieces if not isinstance(one, str) and one[1])

    def filled(self, groups: Mapping[str, str | None], tables: Tables, *, braced: bool = False) -> str:
        """Return the text with the groups' texts in it, which are literal: no placeholder and no template of a plan begins there.

        In a ``braced`` text the braces of a group are doubled, unless it stands within braces of the mapping's own.
        """
        made = ""
        depth = 0
        for one in self.pieces:
            if isinstance(one, str):
                made += one
                depth += one.count("{") - one.count("}") if braced else 0
                continue
            text = groups.get(one[0]) or ""
            text = translated(text, tables[one[1]]) if one[1] else text
            made = joined(made, literal(text, braced=braced and depth <= 0))
        return made


def filling(text: str) -> Filling:
    """Return a text as a filling."""
    pieces: list[str | tuple[str, str]] = []
    position = 0
    for found in _HOLE.finditer(text):
        pieces.append(text[position : found.start()] + ("<" if found.group() == "<<" else ""))
        if found.group() != "<<":
            pieces.append((found[1], found[2] or ""))
        position = found.end()
    pieces.append(text[position:])
    return Filling(tuple(one for one in pieces if one))


def literal(text: str, *, braced: bool) -> str:
    """Return a document's text so that nothing of a plan begins in it."""
    if braced and ("{" in text or "}" in text):
        text = text.replace("{", "{{").replace("}", "}}")
    return text.replace("${", "$${") if "${" in text else text


def joined(before: str, text: str) -> str:
    """Return two texts as one in which no placeholder begins where they meet."""
    return f"{before}$" + text if before.endswith("$") and text.startswith("{") else before + text


def translated(text: str, table: Mapping[str, str]) -> str:
    """Return a text with each longest word of a table in place."""
    if not table:
        return text
    words = sorted(table, key=len, reverse=True)
    return re.sub("|".join(map(re.escape, words)), lambda found: table[found.group()], text)


class Holes:
    """A document's placeholders, set aside as single characters while its texts are matched and translated."""

    def __init__(self, find: Callable[[str], Iterator[tuple[int, int, str, str | None]]] | None, begin: str = "") -> None:
        """Keep what finds placeholders in a text (bounds, name and default of each), and with what all of them begin."""
        self._find = find
        self._begin = begin
        self._marks: dict[tuple[str, str | None], str] = {}
        self._meant: dict[str, tuple[str, str | None]] = {}
        self._known: dict[str, str] = {}
        self.names: dict[str, str] = {}

    def aside(self, text: str) -> str:
        """Return a text with a mark in place of each placeholder."""
        if self._find is None or self._begin not in text:
            return text
        known = self._known.get(text)
        if known is None:
            known = self._marked(self._find, text)
            if len(self._known) < _MOST_MARKS:
                self._known[text] = known
        return known

    def _marked(self, find: Callable[[str], Iterator[tuple[int, int, str, str | None]]], text: str) -> str:
        if len(text) > _LONGEST:
            raise NotUnderstood(
                f"a text of {len(text):,} characters is too long to look for placeholders in it: at most {_LONGEST:,}"
            )
        made, position = [], 0
        for start, end, name, default in find(text):
            made += [text[position:start], self._mark(name, default)]
            position = end
        return "".join([*made, text[position:]]) if position else text

    def _mark(self, name: str, default: str | None) -> str:
        mark = self._marks.get((name, default))
        if mark is None:
            if len(self._marks) >= _MOST_MARKS:
                raise NotUnderstood(f"there are more than {_MOST_MARKS:,} different placeholders")
            mark = self._marks[name, default] = chr(_FIRST_MARK + len(self._marks))
            self._meant[mark] = (name, default)
        return mark

    def back(self, text: str) -> str:
        """Return a text with the plan's placeholders in place of the marks."""
        if not self._meant:
            return text
        return _MARKS.sub(self._in_place, text)

    def _in_place(self, found: re.Match[str]) -> str:
        meant = self._meant.get(found.group())
        if meant is None:
            return found.group()
        if found.string[found.start() - 1 : found.start()] == "$":
            raise NotUnderstood("a $ stands right before a placeholder, which a plan cannot say")
        return self._placeholder(*meant)

    def _placeholder(self, name: str, default: str | None) -> str:
        folded = self.name(name)
        if default is None:
            return f"${{{folded}}}"
        if "}" in default:
            raise NotUnderstood(f'the default of the placeholder "{name[:40]}" holds a }}, which ends it in a plan')
        return f"${{{folded}:-{literal(default, braced=False)}}}"

    def name(self, name: str) -> str:
        """Return a placeholder's name as a plan can have it; raise NotUnderstood where two names would become one."""
        folded = re.sub(r"[^A-Za-z0-9_]", "_", name)
        folded = f"_{folded}" if not folded or folded[0].isdigit() else folded
        known = self.names.setdefault(folded, name)
        if known != name:
            raise NotUnderstood(f'the names "{known[:40]}" and "{name[:40]}" both become {folded} in a plan')
        return folded


_FIRST_MARK = 0xF0000
_MOST_MARKS = 60_000
_MARKS = re.compile(f"[{chr(_FIRST_MARK)}-{chr(_FIRST_MARK + _MOST_MARKS)}]")
_LONGEST = 1 << 20
