"""Lines cut from left to right at what they share: literals, times, levels, columns; what is left over is the message.

Nine lines in ten must agree on each step; those that do not are left out of what follows.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence

from msgspec import Struct

from vetrina.core.layouts.levels import level_look, padding

AGREE = 0.9
_PAIRS = {"[": "]", "(": ")", "<": ">", "{": "}"}
_KEY = re.compile(r"([A-Za-z_@][\w.@-]{0,39})=(?=\S)")
_WORD = re.compile(r"[^\s|;,=\[\](){}<>\"']+")
_AFTER = re.compile(r"( *)((?:->|=>|--|[-|:;,>/\t])?)( *)")
_LEVEL = re.compile(r"( *)([A-Za-z]{1,13})(?![\w.-])( *)")
_NAME_LIKE = re.compile(r"[\w.$@/\\:#~+*-]{1,120}")
SEGMENTED = re.compile(r"[A-Za-z_$][\w$*-]*(?:(?:\.|::|/|\\|:)[\w$*-]+)+")
_PAIR = r'[A-Za-z_][\w.@-]*=(?:"(?:[^"\\]|\\.)*"|[^\s"]*)'
PAIRS = rf"{_PAIR}(?: {_PAIR})*"
_NAMED_PLACE = re.compile(r"([A-Za-z_$][\w.$]*):([A-Za-z_<][\w$<>]*):(\d+)")
PLACE = re.compile(r"[\w./\\$-]+\.\w{1,5}:\d+")
_STRUCTURE = re.compile(r"\S+(?: +\S+){0,2}? +(?:\[[^\]]{1,60}\] |- |\| |\S+: )")
_MOST_PARTS = 40
_FEW = 5


class Slot(Struct):
    """A part of lines that varies: its values, and what it is.

    ``kind`` is `time`, `level`, `fields` or empty for what is not known yet; ``key`` is the name before it (`k=v`),
    ``opened`` the bracket before it. ``quoted`` tells that it stands between `"` with JSON's escapes; ``pad`` to how many
    characters it is filled.
    """

    kind: str
    values: list[str]
    steps: str = ""
    key: str = ""
    opened: str = ""
    after: str = ""
    quoted: bool = False
    pad: int = 0
    pads_left: bool = False


Part = str | Slot


class Cut(Struct):
    """What lines share: parts from left to right, what is left over of each line, the words for levels to be named."""

    parts: list[Part]
    rest: list[str]
    levels: dict[str, int]


class _Row(Struct):
    line: str
    at: int
    time: tuple[int, int]


def cut_lines(lines: Sequence[str], times: Sequence[tuple[int, int]], time_steps: str) -> Cut:
    """Return lines cut into parts; ``times`` are where the time of each stands, ``time_steps`` reads it."""
    return _Cutting([_Row(line, 0, time) for line, time in zip(lines, times, strict=True)], time_steps).cut()


class _Cutting:
    def __init__(self, rows: list[_Row], time_steps: str) -> None:
        self._rows, self._time_steps = rows, time_steps
        self._parts: list[Part] = []
        self._levels: dict[str, int] = {}
        self._has: set[str] = set()

    def cut(self) -> Cut:
        """Cut as long as lines agree."""
        while len(self._parts) < _MOST_PARTS and any(one.at < len(one.line) for one in self._rows):
            if not (self._time() or self._enclosed() or self._literal() or self._level() or self._keyed() or self._column()):
                break
        return Cut(self._parts, [one.line[one.at :] for one in self._rows], self._levels)

    def _nearly_all(self, holds: Callable[[_Row], object]) -> bool:
        """Keep the rows for which something holds, where these are nearly all."""
        kept = [one for one in self._rows if holds(one)]
        if not kept or len(kept) < AGREE * len(self._rows):
            return False
        self._rows = kept
        return True

    def _part_of(self, holds: Callable[[_Row], object]) -> float:
        return sum(1 for one in self._rows if holds(one)) / len(self._rows)

    def _add(self, text: str) -> None:
        if self._parts and isinstance(self._parts[-1], str):
            self._parts[-1] += text
        else:
            self._parts.append(text)

    def _time(self) -> bool:
        if "time" in self._has or not self._nearly_all(lambda one: one.at == one.time[0]):
            return False
        self._has.add("time")
        self._parts.append(Slot("time", [one.line[slice(*one.time)] for one in self._rows], self._time_steps))
        for one in self._rows:
            one.at = one.time[1]
        return True

    def _enclosed(self) -> bool:
        """Take what stands between brackets as a column; a time or a level there as such, pairs as fields."""
        sign = Counter(one.line[one.at : one.at + 1] for one in self._rows).most_common(1)[0][0]
        if sign not in _PAIRS:
            return False
        end = _PAIRS[sign]
        found = re.compile(rf"{re.escape(sign)}([^{re.escape(sign + end)}]{{0,200}}){re.escape(end)}")

        def match(one: _Row) -> re.Match[str] | None:
            return found.match(one.line, one.at)

        if self._part_of(match) < AGREE:
            return False
        if "time" not in self._has and self._part_of(lambda one: (m := match(one)) and one.at < one.time[0] < m.end()) > 0.5:
            return False
        self._nearly_all(match)
        within = [m.group(1) for one in self._rows if (m := match(one))]
        self._add(sign)
        if sum(PLACE.fullmatch(one) is not None for one in within) >= AGREE * len(within):
            files, numbers = zip(*(one.rpartition(":")[::2] for one in within if ":" in one), strict=True)
            self._parts += [Slot("file", list(files), opened=sign, after=":"), ":", Slot("line", list(numbers))]
        else:
            self._parts.append(self._slot_within(within, sign, end))
        for one in self._rows:
            one.at += len(sign + end) + len(match(one).group(1))  # type: ignore[union-attr]
        self._add(end)
        return True

    def _slot_within(self, values: list[str], sign: str, end: str) -> Slot:
        bare = [one.strip(" ") for one in values]
        pad, left = padding(
            [(one.strip(" "), len(one) - len(one.lstrip(" ")), len(one) - len(one.rstrip(" "))) for one in values]
        )
        look = level_look(bare) if "level" not in self._has else None
        if look is not None:
            self._has.add("level")
            self._levels |= look.extra
            return Slot("level", bare, look.steps, opened=sign, after=end, pad=pad, pads_left=left)
        if sum(SEGMENTED.fullmatch(one) is not None for one in bare) > 0.3 * len(bare):
            self._has.add("name")
        if sum(re.fullmatch(PAIRS, one) is not None for one in values) >= AGREE * len(values):
            return Slot("fields", values, opened=sign, after=end)
        return Slot("", bare, opened=sign, after=end, pad=pad, pads_left=left)

    def _literal(self) -> bool:
        """Take one sign that is no letter or digit, where lines share it."""
        ((sign, _),) = Counter(one.line[one.at : one.at + 1] for one in self._rows).most_common(1)
        if (
            not sign
            or sign.isalnum()
            or sign in "_/$%+'"
            or self._part_of(lambda one: one.line.startswith(sign, one.at)) < AGREE
        ):
            return False
        if sign in _PAIRS and "time" in self._has:
            return False  # a message may begin with it
        if sign == "-" and self._part_of(lambda one: one.line[one.at + 1 : one.at + 2].isdigit()) > 0.5:
            return False
        if sign == '"' and not self._quoted_after_key():
            return False
        self._nearly_all(lambda one: one.line.startswith(sign, one.at))
        for one in self._rows:
            one.at += 1
        self._add(sign)
        return True

    def _quoted_after_key(self) -> bool:
        return bool(self._parts) and isinstance(self._parts[-1], str) and self._parts[-1].endswith(("=", ",", ";", "\t"))

    def _level(self) -> bool:
        if "level" in self._has:
            return False
        found = [_LEVEL.match(one.line, one.at) for one in self._rows]
        look = level_look([match.group(2) if match else "" for match in found])
        if look is None:
            return False
        pairs = [(one, match) for one, match in zip(self._rows, found, strict=True) if match and level_look([match.group(2)])]
        pad, left = padding(
            [(m.group(2), len(m.group(1)), max(0, len(m.group(3)) - self._least_after(pairs))) for _, m in pairs]
        )
        self._has.add("level")
        self._levels |= look.extra
        self._rows = [one for one, _ in pairs]
        self._put(Slot("level", [m.group(2) for _, m in pairs], look.steps, key=self._key(), pad=pad, pads_left=left))
        for one, match in pairs:
            one.at = match.end(2)
            if pad and not left:
                one.at = min(match.end(3), max(one.at, match.start(2) + pad))
        return True

    @staticmethod
    def _least_after(pairs: Sequence[tuple[_Row, re.Match[str]]]) -> int:
        return min(1, *(len(match.group(3)) for _, match in pairs))

    def _put(self, slot: Slot) -> None:
        """Add a slot; blanks that all lines have before one that is filled on the left are part of that."""
        before = self._parts[-1] if self._parts else None
        if slot.pads_left and isinstance(before, str):
            blanks = len(before) - len(before.rstrip(" "))
            further = max(0, blanks - 1) if len(before) > blanks or len(self._parts) > 1 else blanks
            slot.pad += further
            self._parts[-1] = before[: len(before) - further]
            if not self._parts[-1]:
                self._parts.pop()
        self._parts.append(slot)

    def _key(self) -> str:
        """Return the name that stands before, as `name=`."""
        before = self._parts[-1] if self._parts else None
        found = re.search(r"([\w.@-]+)=\"?$", before) if isinstance(before, str) else None
        return found.group(1) if found else ""

    def _keyed(self) -> bool:
        """Take `name=` where lines share it."""
        if self._key():
            return False
        found = Counter(m.group(1) for one in self._rows if (m := _KEY.match(one.line, one.at)))
        if not found:
            return False
        key = found.most_common(1)[0][0]
        if not self._nearly_all(lambda one: one.line.startswith(key + "=", one.at)):
            return False
        for one in self._rows:
            one.at += len(key) + 1
        self._add(key + "=")
        return True

    def _column(self) -> bool:
        key = self._key()
        if key:
            return self._value_of(key)
        found = [(one, _WORD.match(one.line, one.at + self._lead(one), self._limit(one))) for one in self._rows]
        words = [(one, match, match.group().rstrip(":-") or match.group()) for one, match in found if match]
        if len(words) < AGREE * len(self._rows):
            return False
        after = [_AFTER.match(one.line, match.start() + len(word)) for one, match, word in words]
        ((sign, count),) = Counter(self._sign(one, m) for (one, _, _), m in zip(words, after, strict=True) if m).most_common(1)
        if count < AGREE * len(self._rows):
            return False
        rows = [
            (one, match.start() + len(word), word, m)
            for (one, match, word), m in zip(words, after, strict=True)
            if m and self._sign(one, m) == sign
        ]
        if self._named_place(rows):
            return True
        pad, left = self._padding(rows, sign)
        if not self._takes([word for *_, word, _ in rows], sign, padded=pad > 0):
            return False
        self._rows = [one for one, *_ in rows]
        self._put(Slot("", [word for _, _, word, _ in rows], after=sign, pad=pad, pads_left=left))
        for one, end, word, _ in rows:
            one.at = max(end, end - len(word) + pad) if pad and not left else end
        return True

    def _named_place(self, rows: Sequence[tuple[_Row, int, str, re.Match[str]]]) -> bool:
        """Take a word `name:function:line` apart."""
        found = [_NAMED_PLACE.fullmatch(word) for _, _, word, _ in rows]
        if any(match is None for match in found) or "name" in self._has:
            return False
        self._has.add("name")
        self._rows = [one for one, *_ in rows]
        names, functions, numbers = zip(*(match.groups() for match in found if match), strict=True)
        self._parts += [
            Slot("", list(names), after=":"), ":", Slot("function", list(functions), after=":"), ":", Slot("line", list(numbers)),
        ]  # fmt: skip
        for one, end, *_ in rows:
            one.at = end
        return True

    def _limit(self, one: _Row) -> int:
        """Return where a word ends at the latest: before the time."""
        return one.time[0] if "time" not in self._has and one.at < one.time[0] else len(one.line)

    @staticmethod
    def _lead(one: _Row) -> int:
        return len(one.line) - one.at - len(one.line[one.at :].lstrip(" "))

    @staticmethod
    def _sign(one: _Row, after: re.Match[str]) -> str:
        """Return what follows a word: a sign, a bracket that opens, blanks, or nothing at a line's end."""
        if after.group(2):
            return after.group(2)
        opening = one.line[after.end(1) : after.end(1) + 1]
        return opening if opening in _PAIRS and opening else " " if after.group(1) or opening else ""

    def _padding(self, rows: Sequence[tuple[_Row, int, str, re.Match[str]]], sign: str) -> tuple[int, bool]:
        least = min(1, *(len(m.group(1)) for *_, m in rows)) if sign != " " else 1
        return padding([(word, self._lead(one), max(0, len(m.group(1)) - least)) for one, _, word, m in rows])

    def _takes(self, words: list[str], sign: str, *, padded: bool) -> bool:
        """Tell whether words are a column, and not the beginning of messages."""
        like = sum(_NAME_LIKE.fullmatch(word) is not None for word in words) / len(words)
        few = len(words) < _FEW and {"time", "level", "name"} <= self._has and sign not in "|;\t"
        if like < AGREE or sign == "" or few:
            return False  # of a few lines any word may be the same
        if "time" not in self._has and self._part_of(lambda one: one.at < one.time[0]) > AGREE:
            return True
        segmented = sum(SEGMENTED.fullmatch(word) is not None for word in words) / len(words)
        places = sum(PLACE.fullmatch(word) is not None for word in words) / len(words)
        if segmented > 0.3 and places < 0.5 and "name" not in self._has:
            self._has.add("name")
            return True
        if sign != " " and sign not in "({<":
            return True
        if padded and len({len(word) for word in words}) > 2:
            return True
        if "level" not in self._has and self._part_of(self._level_ahead) > AGREE:
            return True
        return (
            "name" not in self._has and self._part_of(lambda one: _STRUCTURE.match(one.line, one.at + self._lead(one))) > AGREE
        )

    @staticmethod
    def _level_ahead(one: _Row) -> bool:
        return any(
            level_look([word]) is not None and len(word) > 2
            for word in re.findall(r"[A-Za-z]+", one.line[one.at : one.at + 120])[:8]
        )

    def _value_of(self, key: str) -> bool:
        """Take the value of `name=`: up to a blank, or between quotes."""
        before = self._parts[-1]
        quoted = isinstance(before, str) and before.endswith('"')
        found = re.compile(r'((?:[^"\\]|\\.)*)(")' if quoted else r"([^\s,;|\[\]\"]*)(.?)")
        if not self._nearly_all(lambda one: found.match(one.line, one.at)):
            return False
        matches = [found.match(one.line, one.at) for one in self._rows]
        self._parts.append(Slot("", [m.group(1) for m in matches if m], key=key, after='"' if quoted else " ", quoted=quoted))
        for one, match in zip(self._rows, matches, strict=True):
            one.at = match.end(1) if match else one.at
        if quoted:
            self._add('"')
            for one in self._rows:
                one.at += 1
        return True
