"""Placeholders and the types of YAML 1.2's core schema: from the text of a scalar to its value.

Here: `${name}` and `${name:-default}` with their sources, in order: `--env`, env file, the plan's values, the process
environment. Not here: which type a key wants (kinds.py).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Literal, NamedTuple

from msgspec import Struct, field

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.events import NOT_TEXT
from vetrina.core.base.faults import Fault, Place, nearest
from vetrina.core.base.hidden import MASK
from vetrina.core.base.secrets import looks_secret
from vetrina.core.schema.nodes import NULLS, Scalar

NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*\Z")
_OPEN = re.compile(r"\$\$\{|\$\{")
_LONGEST = 1 << 20
_LONGEST_TOGETHER = 64 << 20
_COUNTED = 1000
_DEEPEST = 20
_INT = re.compile(r"[-+]?[0-9]+\Z|0o[0-7]+\Z|0x[0-9a-fA-F]+\Z")
_FLOAT = re.compile(r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?\Z")
_SPECIAL = {"inf": float("inf"), "-inf": float("-inf"), "+inf": float("inf"), "nan": float("nan")}
_WORDS: dict[str, object] = {"true": True, "True": True, "TRUE": True, "false": False, "False": False, "FALSE": False}
_LONGEST_NUMBER = 400


def typed(text: str) -> object:
    """Return the value of a plain scalar by the YAML 1.2 core schema: null, boolean, number or text."""
    if text in NULLS:
        return None
    if text in _WORDS:
        return _WORDS[text]
    first = text[0]
    if not (first in "-+." or first.isdecimal()):
        return text
    if len(text) > _LONGEST_NUMBER:
        return float("inf") if _INT.match(text) or _FLOAT.match(text) else text
    if _INT.match(text):
        return int(text, 0) if text[:2] in {"0o", "0x"} else int(text)
    if _FLOAT.match(text):
        return float(text)
    lowered = text.lower()
    sign = text[0] if text[0] in "-+" else ""
    if lowered.lstrip("-+") in {".inf", ".nan"} and not (sign and lowered.endswith("nan")):
        return _SPECIAL[lowered.replace(".", "")]
    return text


class Given(NamedTuple):
    """A value from outside the plan: its text and where it was given (a place in an env file, or words)."""

    text: str
    where: str
    place: Place | None = None


UseSource = Literal["option", "env-file", "value", "environment", "default"]


class Use(Struct, frozen=True):
    """One placeholder that was filled: its name, the source it was found in, and the uses inside that value.

    ``text`` may be shown; ``text_within`` is a secret's own text, never to be shown.
    """

    name: str
    source: UseSource
    where: str
    place: Place | None
    text: str
    inner: tuple[Use, ...] = ()
    secret: bool = False
    text_within: str = ""
    depth: int = 0


class Filled(NamedTuple):
    """A scalar's text after filling; ``shown`` hides secrets, ``kept`` has them as `${NAME}` again."""

    text: str
    shown: str
    kept: str
    uses: tuple[Use, ...] = ()


class _PlaceholderError(VetrinaError):
    """A placeholder that cannot be filled; the message goes into a fault at the place of use."""

    def __init__(self, what: str, why: str = "", fix: str = "", place: Place | None = None) -> None:
        super().__init__(what)
        self.what, self.why, self.fix, self.place = what, why, fix, place


class Filler(Struct):
    """Fills placeholders from the four sources; every value is expanded once and remembered."""

    options: Mapping[str, Given] = field(default_factory=dict)
    env_file: Mapping[str, Given] = field(default_factory=dict)
    values: Mapping[str, Scalar] = field(default_factory=dict)
    environment: Mapping[str, str] = field(default_factory=dict)
    secret_names: tuple[str, ...] = ()
    used: set[str] = field(default_factory=set)
    _known: dict[str, tuple[Filled, Use, int]] = field(default_factory=dict)
    _counted: set[int] = field(default_factory=set)
    _length: int = 0

    def fill(self, scalar: Scalar) -> Filled | Fault:
        """Return the filled text of ``scalar``, or the fault that it has."""
        text = scalar.text
        if "${" not in text:
            return Filled(text, text, text)
        try:
            filled = self._expand(text, ())
            if len(filled.text) > _COUNTED:
                self._count(scalar, len(filled.text))
        except _PlaceholderError as bad:
            related = ((bad.place, "the value that it came through"),) if bad.place else ()
            return Fault("placeholder", bad.what, why=bad.why, fix=bad.fix, place=scalar.place, related=related)
        return _meant(filled, scalar.meant(filled.text))

    def _count(self, scalar: Scalar, length: int) -> None:
        """Keep the long filled texts of a plan together within bounds, each counted once."""
        if id(scalar) not in self._counted:
            self._counted.add(id(scalar))
            self._length += length
        if self._length > _LONGEST_TOGETHER:
            raise _PlaceholderError(
                f"the filled texts are together longer than {_LONGEST_TOGETHER:,} characters",
                "a long value is used many times",
                "shorten the value",
            )

    def unused_faults(self) -> list[Fault]:
        """Return the faults of values that nothing in force asked for: a circle or a missing name is one there as well."""
        asked_for, faults = set(self.used), []
        for name, value in self.values.items():
            if name in self.used:
                continue
            self.used.add(name)
            try:
                self._expand(value.text, (name,))
            except _PlaceholderError as bad:
                faults.append(Fault("placeholder", bad.what, why=bad.why, fix=bad.fix, place=bad.place or value.place))
        self.used = asked_for
        return faults

    def _expand(self, text: str, chain: tuple[str, ...]) -> Filled:
        plain: list[str] = []
        shown: list[str] = []
        kept: list[str] = []
        uses: list[Use] = []
        for piece in pieces(text):
            if isinstance(piece, str):
                plain.append(piece)
                shown.append(piece)
                kept.append(piece.replace("${", "$${"))
                continue
            filled, use = self._resolve(piece, chain)
            plain.append(filled.text)
            shown.append(filled.shown)
            kept.append(filled.kept)
            uses.append(use)
        whole = "".join(plain)
        if len(whole) > _LONGEST:
            raise _PlaceholderError(
                f"the filled text is longer than {_LONGEST:,} characters", "values that multiply each other"
            )
        return Filled(whole, "".join(shown), "".join(kept), tuple(uses))

    def _resolve(self, piece: Hole, chain: tuple[str, ...]) -> tuple[Filled, Use]:
        found = self._find(piece.name, chain)
        if found is not None and (found[0].text or piece.default is None):
            return found
        if piece.default is None:
            raise self._missing(piece.name, chain)
        filled = self._expand(piece.default, chain)
        return filled, Use(piece.name, "default", "the default in the text", None, filled.shown, filled.uses)

    def _find(self, name: str, chain: tuple[str, ...]) -> tuple[Filled, Use] | None:
        if name in self._known and name not in chain:
            filled, use, depth = self._known[name]
            if len(chain) + depth > _DEEPEST:
                raise _PlaceholderError(
                    f"values use values more than {_DEEPEST} deep: {' -> '.join(chain[:4])} -> …", place=use.place
                )
            return filled, use
        outside: tuple[tuple[UseSource, Mapping[str, Given]], ...] = (("option", self.options), ("env-file", self.env_file))
        for source, table in outside:
            if name in table:
                given = table[name]
                return self._outside(name, source, given.text, given.where, given.place)
        value = self.values.get(name)
        if value is not None and (not chain or chain[-1] != name):
            self.used.add(name)
            if name in chain:
                circle = " -> ".join([*chain[chain.index(name) :], name])
                raise _PlaceholderError(f"values go round in a circle: {circle}", "none of them ever ends", "give one of them a text",
                           value.place)  # fmt: skip
            if len(chain) >= _DEEPEST:
                raise _PlaceholderError(
                    f"values use values more than {_DEEPEST} deep: {' -> '.join(chain[:4])} -> …", place=value.place
                )
            try:
                filled = self._expand(value.text, (*chain, name))
            except _PlaceholderError as bad:
                bad.place = bad.place or value.place
                raise
            use = Use(name, "value", "the plan's values", value.place, filled.shown, filled.uses, depth=1 + _depth(filled.uses))
            self._known[name] = filled, use, use.depth
            return filled, use
        if name in self.environment:
            return self._outside(name, "environment", self.environment[name], "the process environment", None)
        return None

    def _outside(self, name: str, source: UseSource, text: str, where: str, place: Place | None) -> tuple[Filled, Use]:
        if NOT_TEXT.search(text):
            raise _PlaceholderError(
                f"the value of ${{{name}}} is not text",
                f"it comes from {where} and holds bytes that are not UTF-8",
                "give it as UTF-8",
            )
        secret = bool(text) and looks_secret(name, self.secret_names)
        shown = MASK if secret else text
        kept = f"${{{name}}}" if secret else text.replace("${", "$${")
        return Filled(text, shown, kept), Use(name, source, where, place, shown, (), secret, text if secret else "")

    def _missing(self, name: str, chain: tuple[str, ...]) -> _PlaceholderError:
        known = [*self.options, *self.env_file, *self.values, *self.environment]
        path = " -> ".join([*chain, name])
        if chain and chain[-1] == name:
            return _PlaceholderError(
                f"${{{name}}} stands in the value of its own name, and nothing outside the plan has it",
                "there it asks --env, the env files and the environment, not itself",
                f"give it with --env {name}=…, or a default: ${{{name}:-…}}",
            )
        close = nearest(name, known)
        return _PlaceholderError(
            f"${{{name}}} is not known" + (f" (reached by {path})" if chain else ""),
            "no --env, env file, value of the plan or environment variable has this name",
            f'did you mean "{close[0]}"?' if close else f"give it with --env {name}=…, or a default: ${{{name}:-…}}",
        )


def _meant(filled: Filled, text: str) -> Filled:
    """Return a filled text as what it stands for; a hidden one stays hidden."""
    if text == filled.text:
        return filled
    hidden = filled.shown != filled.text
    return Filled(text, filled.shown if hidden else text, filled.kept if hidden else text.replace("${", "$${"), filled.uses)


def _depth(uses: tuple[Use, ...]) -> int:
    """Return how deep values stand inside values below some uses; each is remembered with its own depth."""
    return max((one.depth for one in uses), default=0)


class Hole(NamedTuple):
    """A placeholder in a text; ``default`` is None where none is given."""

    name: str
    default: str | None


def pieces(text: str) -> Iterator[str | Hole]:
    """Yield the literal parts (with `$${` as `${`) and the placeholders of ``text``, in order."""
    position = 0
    while match := _OPEN.search(text, position):
        if match.start() > position:
            yield text[position : match.start()]
        if match.group() == "$${":
            yield "${"
            position = match.end()
            continue
        inside, position = _inside(text, match.end())
        name, colon, default = inside.partition(":-")
        if not NAME.match(name):
            raise _PlaceholderError(
                f'"${{{inside[:40]}}}" is not a form of placeholder',
                "only ${name} and ${name:-default} are filled",
                "write $${ for a literal ${",
            )
        yield Hole(name, default if colon else None)
    if position < len(text):
        yield text[position:]


def _inside(text: str, start: int) -> tuple[str, int]:
    depth, position = 1, start
    while position < len(text):
        if text.startswith("${", position):
            depth += 1
            position += 2
            if depth > _DEEPEST:
                raise _PlaceholderError(f"defaults stand inside defaults more than {_DEEPEST} deep")
            continue
        if text[position] == "}":
            depth -= 1
            if depth == 0:
                return text[start:position], position + 1
        position += 1
    raise _PlaceholderError(
        f'"${{{text[start : start + 30]}" has no closing brace', fix="close it with }, or write $${ for a literal ${"
    )


def names_used(text: str) -> list[str]:
    """Return the names that ``text`` asks for, also in defaults; nothing where it is malformed."""
    names: list[str] = []
    waiting = [text]
    while waiting and len(names) < _LONGEST_NUMBER:
        try:
            for piece in pieces(waiting.pop()):
                if isinstance(piece, Hole):
                    names.append(piece.name)
                    waiting.append(piece.default or "")
        except _PlaceholderError:
            continue
    return names
