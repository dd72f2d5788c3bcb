"""What members of JSON objects and columns of CSV are, by their names and their values."""

from __future__ import annotations

import csv
import json
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
from msgspec.structs import replace

from vetrina.core.base.levels import NAMES
from vetrina.core.layouts.drafts import Draft, doubts_of_missing, separator_of, template_part
from vetrina.core.layouts.levels import level_look
from vetrina.core.layouts.naming import KEYS, named, share, source_of_key
from vetrina.core.layouts.rows import AGREE, PAIRS, SEGMENTED, Slot
from vetrina.core.layouts.times import agreed, first_time

_MOST_COLUMNS = 200


def json_draft(lines: Sequence[str]) -> Draft | None:
    """Return which members of JSON objects are what, None where most lines are none."""
    objects = list(_objects(lines))
    if len(objects) < 0.5 * len([line for line in lines if line.strip()]) or not objects:
        return None
    found = _Members(objects).draft()
    return found if "time" in map(source_of, _leaves(found.members)) else None


def _leaves(members: dict[str, Any]) -> Iterator[Any]:
    for one in members.values():
        if isinstance(one, dict) and "raw" not in one:
            yield from one.values()
        else:
            yield one


def pairs_draft(lines: Sequence[str]) -> Draft | None:
    """Return which names of `k=v k=v` are what, None where most lines are no such pairs."""
    objects = [dict(_PAIR.findall(line)) for line in lines if _PAIRS.fullmatch(line.strip())]
    if len(objects) < 0.5 * len(lines) or not objects:
        return None
    bare = [{name: text[1:-1] if text.startswith('"') else text for name, text in one.items()} for one in objects]
    found = _Members(bare).draft()
    return replace(found, form="pairs") if "time" in map(source_of, _leaves(found.members)) else None


_PAIRS = re.compile(PAIRS)
_PAIR = re.compile(r'([A-Za-z_][\w.@-]*)=("(?:[^"\\]|\\.)*"|[^\s"]*)')


def _objects(lines: Sequence[str]) -> Iterator[dict[str, Any]]:
    for line in lines:
        try:
            yield msgspec.json.decode(line, type=dict[str, Any])
        except (msgspec.DecodeError, ValueError, RecursionError):
            continue


class _Members:
    """Members by their paths: those of the object, and those of objects in it."""

    def __init__(self, objects: Sequence[dict[str, Any]]) -> None:
        self._values: dict[tuple[str, ...], list[Any]] = {}
        self._count = len(objects)
        for one in objects:
            for name, value in one.items():
                self._put((name,), value)
                if isinstance(value, dict):
                    for inner, nested in value.items():
                        self._put((name, inner), nested)
        self._taken: dict[tuple[str, ...], Any] = {}
        self._levels: dict[str, int] = {}
        self._doubts: list[str] = []

    def _put(self, path: tuple[str, ...], value: Any) -> None:
        if len(self._values) < _MOST_COLUMNS or path in self._values:
            self._values.setdefault(path, []).append(value)

    def draft(self) -> Draft:
        """Return the draft."""
        self._time()
        self._level()
        for source in ("message", "logger", "error", "thread", "process", "host"):
            self._text(source)
        self._doubts += doubts_of_missing(set(self._sources()))
        return Draft("json", members=self._nested(), levels=self._levels, doubts=tuple(self._doubts), weight=len(self._taken), separator=self._separator())  # fmt: skip

    def _sources(self) -> Iterator[str]:
        return map(source_of, self._taken.values())

    def _by_name(self, source: str) -> list[tuple[str, ...]]:
        """Return the members whose names say that they are a source, the plainest names first, outer ones before inner ones."""
        names = KEYS[source]
        found = [path for path in self._values if source_of_key(path[-1]) == source and path not in self._taken]
        plain = {path: path[-1].lower().replace("-", "_") for path in found}
        return sorted(found, key=lambda path: (len(path), names.index(plain[path]) if plain[path] in names else len(names)))

    def _time(self) -> None:
        others = [path for path in self._values if path not in self._by_name("time")]
        for path in [*self._by_name("time"), *others]:
            template = _time_template(self._values[path])
            if template is not None:
                self._taken[path] = template
                return

    def _level(self) -> None:
        others = [path for path in self._values if path not in self._by_name("level")]
        for path in [*self._by_name("level"), *others]:
            values = self._values[path]
            texts = [one for one in values if isinstance(one, str)]
            look = level_look(texts) if len(texts) >= AGREE * len(values) else None
            if look is not None and path not in self._taken:
                self._taken[path] = "{level" + look.steps + "}" if "cut" in look.steps else {"raw": "level"}
                self._levels |= look.extra
                return
        for path in self._by_name("level"):
            numbers = {one for one in self._values[path] if isinstance(one, int) and not isinstance(one, bool)}
            if numbers and numbers <= set(NAMES.values()) and max(numbers) > 7:  # up to 7 they may be those of RFC 5424
                self._taken[path] = {"raw": "level"}
                return
            self._doubts.append(f'"{".".join(path)}" holds no words for levels: its events count as info')

    def _text(self, source: str) -> None:
        kinds: Any = (str, int) if source in {"thread", "process"} else (str, dict) if source == "error" else str
        fits = [
            path for path in self._by_name(source) if all(one is None or isinstance(one, kinds) for one in self._values[path])
        ]
        if source == "logger" and not fits:
            fits = [path for path, values in self._free(str) if share(values, SEGMENTED) > 0.5][:1]
        if source == "message" and not fits:
            worded = [
                (sum(map(len, values)), path)
                for path, values in self._free(str)
                if sum(" " in one for one in values) > 0.3 * len(values)
            ]
            fits = [max(worded)[1]] if worded else []
        if fits:
            self._taken[fits[0]] = {"raw": source}

    def _free(self, kind: type) -> Iterator[tuple[tuple[str, ...], list[Any]]]:
        for path, values in self._values.items():
            if path not in self._taken and len(path) == 1 and all(isinstance(one, kind) for one in values):
                yield path, values

    def _nested(self) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for path, member in self._taken.items():
            if len(path) == 1:
                found[path[0]] = member
                continue
            outer = found.setdefault(path[0], {})
            outer[path[1]] = member
        for path in self._values:
            if len(path) == 2 and isinstance(found.get(path[0]), dict) and "raw" not in found[path[0]]:
                found[path[0]].setdefault(path[1], {"raw": f"field {json.dumps('.'.join(path))}"})
        return found

    def _separator(self) -> str:
        path = next((path for path, one in self._taken.items() if one == {"raw": "logger"}), None)
        slot = Slot("", [one for one in self._values.get(path or (), []) if isinstance(one, str)])
        return separator_of([slot], {id(slot): "logger"})


def source_of(member: Any) -> str:
    """Return the source that a member bears."""
    return str(member["raw"] if isinstance(member, dict) else member.strip("{}").split("|")[0])


def _time_template(values: Sequence[Any]) -> Any:
    """Return the template of a member that holds times, None for one that does not."""
    numbers = [one for one in values if isinstance(one, int | float) and not isinstance(one, bool)]
    if len(numbers) == len(values):
        if all(1e9 <= one < 2.2e9 for one in numbers):
            return "{time|epoch}"
        return "{time|epoch-ms}" if all(1e12 <= one < 2.2e12 and one == int(one) for one in numbers) else None
    met = [first_time(one) if isinstance(one, str) else None for one in values]
    whole = [
        time for one, time in zip(values, met, strict=True) if time is not None and (time.begun, time.ended) == (0, len(one))
    ]
    if len(whole) < AGREE * len(values):
        return None
    step = agreed(whole)[0]
    return "{time|" + step + "}" if step else {"raw": "time"}


def csv_draft(lines: Sequence[str]) -> Draft | None:
    """Return which columns of CSV are what, from their header and their cells.

    None for what is no CSV: without a header, cells must be quoted for it to be told from text.
    """
    try:
        rows = list(csv.reader(line for line in lines if line.strip()))
    except csv.Error:
        return None
    head = rows[0]
    named_columns = (
        len(head) > 1 and len(set(head)) == len(head) and all(map(str.strip, head)) and not any(map(first_time, head))
    )
    if not named_columns:
        if sum(line.startswith('"') or ',"' in line for line in lines) < AGREE * len(lines):
            return None
        head = [f"column{at}" for at in range(1, 1 + Counter(map(len, rows)).most_common(1)[0][0])]
    alike = [row for row in rows[named_columns:] if len(row) == len(head)]
    if len(alike) < 0.5 * (len(rows) - named_columns) or not alike or len(head) < 2:
        return None
    slots = _one_of_a_kind([_column(name if named_columns else "", [row[at] for row in alike]) for at, name in enumerate(head)])
    if not any(one.kind == "time" for one in slots):
        return None
    levels: dict[str, int] = {}
    for one in slots:
        look = level_look(one.values) if one.kind == "level" else None
        levels |= look.extra if look else {}
    names = {id(slots[at]): name for at, name in named(slots, message_apart=False).items()}
    if not named_columns and "message" not in names.values():
        names[id(slots[-1])] = "message"
    columns = {name.strip(): template_part(one, names) for name, one in zip(head, slots, strict=True)}
    return Draft(
        "csv", columns=columns, header=named_columns, levels=levels, weight=len(slots), separator=separator_of(slots, names)
    )


def _one_of_a_kind(slots: list[Slot]) -> list[Slot]:
    """Return columns of which one is the time, and one the level."""
    for kind in ("time", "level"):
        for one in [one for one in slots if one.kind == kind][1:]:
            one.kind = one.steps = ""
    return slots


def _column(name: str, values: list[str]) -> Slot:
    time = _time_template(values)
    if time is not None:
        step = "" if isinstance(time, dict) else time.removeprefix("{time|").removesuffix("}")
        return Slot("time", values, steps=step, key=name)
    look = level_look(values)
    return Slot("", values, key=name.strip()) if look is None else Slot("level", values, steps=look.steps, key=name)
