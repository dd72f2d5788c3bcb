"""Texts that an expression is likely to find: short ones, made from its own text. Whoever uses one verifies it.

Here: a reading of the usual parts of RE2's syntax. What is not understood gives no specimen, never a wrong answer.
"""

from __future__ import annotations

from itertools import product

from vetrina.core.base.errors import VetrinaError

_MOST = 12
_LONGEST = 2000
_CLASSES = {
    "d": "0123456789", "w": "abcxyzABC019_", "s": " \t", "D": "x -", "W": " -", "S": "x0",
}  # fmt: skip
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "f": "\f", "v": "\v", "a": "\a"}
_EMPTY = frozenset("bBAz")
_ANY = "x0 aA_-~!é漢"
_POSIX = {
    "alpha": "a",
    "digit": "0",
    "alnum": "a",
    "space": " ",
    "upper": "A",
    "lower": "a",
    "punct": "-",
    "word": "a",
    "xdigit": "0",
}


class _Unknown(VetrinaError):
    """A part of the syntax that is not read here."""


def regex_texts(expression: str) -> list[str]:
    """Return up to a dozen short texts that ``expression`` should be found in; none where it is not understood."""
    try:
        reader = _ExpressionReader(expression)
        found = reader.alternatives()
        if reader.at < len(expression):
            return []
    except (_Unknown, IndexError, ValueError, RecursionError):
        return []
    return list(dict.fromkeys(text for text in found if len(text) <= _LONGEST))[:_MOST]


class _ExpressionReader:
    """Reads an expression from left to right; every part becomes the list of its texts."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0

    def alternatives(self) -> list[str]:
        found = self._sequence()
        while self._take("|"):
            found += self._sequence()
        return found[: 2 * _MOST]

    def _sequence(self) -> list[str]:
        found = [""]
        while self.at < len(self.text) and self.text[self.at] not in "|)":
            part = self._repeated(self._atom())
            found = [one + other for one, other in product(found, part)][:_MOST]
        return found

    def _take(self, text: str) -> bool:
        if self.text.startswith(text, self.at):
            self.at += len(text)
            return True
        return False

    def _atom(self) -> list[str]:
        char = self.text[self.at]
        self.at += 1
        if char == "(":
            return self._group()
        if char == "[":
            return [self._set()]
        if char == "\\":
            return self._escape()
        if char in "^$":
            return [""]
        return ["x"] if char == "." else [char]

    def _group(self) -> list[str]:
        if self._take("?"):
            if self._take("P<") or self._take("<"):
                self.at = self.text.index(">", self.at) + 1
            else:
                while self.text[self.at] in "imsU-":
                    self.at += 1
                if self._take(")"):
                    return [""]
                if not self._take(":"):
                    raise _Unknown
        found = self.alternatives()
        if not self._take(")"):
            raise _Unknown
        return found

    def _escape(self) -> list[str]:
        char = self.text[self.at]
        self.at += 1
        if char in _EMPTY:
            return [""]
        if char in _CLASSES:
            return list(_CLASSES[char][:2])
        if char == "Q":
            end = self.text.find("\\E", self.at)
            end = len(self.text) if end < 0 else end
            literal, self.at = self.text[self.at : end], min(len(self.text), end + 2)
            return [literal]
        return [self._character(char)]

    def _character(self, char: str) -> str:
        """Return the character of an escape whose letter was just read."""
        if char == "x":
            if self._take("{"):
                end = self.text.index("}", self.at)
                code, self.at = int(self.text[self.at : end], 16), end + 1
            else:
                code, self.at = int(self.text[self.at : self.at + 2], 16), self.at + 2
            return chr(code)
        if char in _ESCAPES:
            return _ESCAPES[char]
        if char.isalnum():
            raise _Unknown
        return char

    def _set(self) -> str:
        negated = self._take("^")
        members: list[str] = []
        first = True
        while first or self.text[self.at] != "]":
            first = False
            if self._take("[:"):
                end = self.text.index(":]", self.at)
                members.append(_POSIX.get(self.text[self.at : end], "x"))
                self.at = end + 2
                continue
            char = self.text[self.at]
            self.at += 1
            if char == "\\":
                letter = self.text[self.at]
                self.at += 1
                if letter in _CLASSES:
                    members += _CLASSES[letter]
                    continue
                char = self._character(letter)
            members.append(char)
            if self.text[self.at] == "-" and self.text[self.at + 1] != "]":
                self.at += 1
                last = self.text[self.at]
                self.at += 1
                if last == "\\":
                    self.at += 1
                    last = self._character(self.text[self.at - 1])
                members += [chr(code) for code in range(ord(char), min(ord(last), ord(char) + 200) + 1)]
        self.at += 1
        if not negated:
            return members[0]
        for one in _ANY:
            if one not in members:
                return one
        raise _Unknown

    def _repeated(self, part: list[str]) -> list[str]:
        low, high = self._times()
        if (low, high) == (1, 1):
            return part
        counts = dict.fromkeys([low, min(high, max(low, 1))])
        return [text * count for count in counts for text in (part if count else [""])]

    def _times(self) -> tuple[int, int]:
        low, high = 1, 1
        if self._take("*"):
            low, high = 0, 2
        elif self._take("+"):
            low, high = 1, 2
        elif self._take("?"):
            low, high = 0, 1
        elif self.text.startswith("{", self.at) and (end := self.text.find("}", self.at)) > 0:
            first, comma, last = self.text[self.at + 1 : end].partition(",")
            if not first.isdigit():
                return 1, 1
            self.at = end + 1
            low = int(first)
            high = int(last) if last else low + 1 if comma else low
        else:
            return 1, 1
        self._take("?")
        return low, high
