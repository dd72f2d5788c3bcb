"""A first mapping, drawn from a document's own shape; it knows no product, only shapes, level words and references.

Here: which groups of parts may be loggers, appenders and values, and why. It is a start: what it could not read is left
over. Not here: the groups themselves (shapes.py).
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from msgspec import Struct

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.levels import Scale
from vetrina.core.base.quantities import duration, size
from vetrina.core.base.wording import counted
from vetrina.core.documents.shapes import OWN_NAME, Field, Group, groups, quoted, spaces
from vetrina.core.documents.tree import Document

_SCALE = Scale()
_PATH = re.compile(r"[\w.?$%{}@~-]*[/\\][\w./\\?$%{}@~#-]+|[\w-]+\.(?:log|txt|out|json|jsonl|csv)\b", re.ASCII)
_PATTERN = re.compile(r"[%$#@&~^][A-Za-z{(]|\{[A-Za-z]")
_SEGMENTS = re.compile(r"\w+(?:(?:\.|::|/|\\)\w+)+\Z")
_NAME = re.compile(r"[\w.:/\\ -]{1,120}\Z")
_SIZE_LIKE = re.compile(r"\d+\s*(?:[kmgt]i?b?|kilo\w*|mega\w*|giga\w*|bytes?)\Z", re.IGNORECASE)
_WORD = re.compile(r"\w{1,20}\Z")
_FEW = 12
_SHOWN = 8


class _Roles(Struct):
    """What the groups of a document may be: each with the look-up of its name."""

    levels: set[tuple[str, str]]
    loggers: list[tuple[Group, str]]
    roots: list[Group]
    appenders: list[tuple[Group, str]]
    values: list[tuple[Group, str, str]]
    placeholder: str
    references: dict[tuple[str, str], str]
    labels: dict[str, str]


def draft(document: Document) -> str:
    """Return a mapping for a document as YAML, with remarks that say why."""
    found = groups(document)
    roles = _roles(found)
    lines = [
        "# A first mapping, drawn from the shape of this document alone. Read it line by line: a shape can deceive.",
        "vetrina-mapping: 1",
        f"reads: {document.notation}",
    ]
    known = spaces(document)
    lines += [f"spaces: {{{', '.join(f'{prefix}: {quoted(space)}' for prefix, space in known.items())}}}"] if known else []
    lines += _level_lines(found, roles)
    if roles.placeholder:
        lines += [
            f"# {roles.values[0][0].label} names what other values have between these signs",
            f"placeholder: {quoted(roles.placeholder)}",
        ]
    lines += ["values:"] if roles.values else []
    for group, key, value in roles.values:
        lines += [*_item(group, [f"name: {key}", f"value: {value}"], f"{counted(len(group.parts), 'name')} with a text each")]
    lines += _logger_lines(roles)
    lines += _appender_lines(roles)
    if not roles.loggers and not roles.roots:
        lines += [
            "# no repeated part carries a name and a word for a level: say yourself where the loggers stand",
            "# loggers:",
        ]
    return "\n".join(lines) + "\n"


# what is what


def _roles(found: list[Group]) -> _Roles:
    levels = {(group.each, name) for group in found for name in _level_fields(group)} or _guessed(found)
    tails = {_tail(name) for _, name in levels} - {"", "$"}
    levels |= {
        (group.each, name) for group in found for name, one in group.fields.items() if _tail(name) in tails and _few_words(one)
    }
    keys = {group.each: _key(group, levels) for group in found}
    references = _references(found, keys, levels)
    targets = Counter(target for target in references.values())
    appenders: list[tuple[Group, str]] = []
    loggers: list[tuple[Group, str]] = []
    roots: list[Group] = []
    for group in found:
        own = [name for name in group.fields if (group.each, name) in levels and not group.fields[name].below]
        key = keys[group.each]
        refers = any((group.each, name) in references for name in group.fields)
        is_target = bool(key) and targets[group.each] > 0
        paths = any(_like(one, _PATH.search) for name, one in group.fields.items() if name != key)
        if key and is_target and not refers and (paths or not own or _patterns(group, key)):
            appenders.append((group, key))
        elif own and key and not paths:
            loggers.append((group, key))
        elif own and not key and len(group.parts) == 1:
            roots.append(group)
    inside = {id(part) for group, _ in appenders for part in group.parts}
    loggers = [(group, key) for group, key in loggers if not any(id(part.parent) in inside for part in group.parts)]
    known = {name for group, key in loggers for name in group.fields[key].texts()} | {"root", ""}
    to = {group.each for group, _ in appenders}
    for group in found:
        key = keys[group.each]
        more = key and not any(one is group for one, _ in [*loggers, *appenders]) and set(group.fields[key].texts()) <= known
        if more and any(references.get((group.each, name)) in to for name in group.fields):
            loggers.append((group, key))
    values, placeholder = _values(found, keys, {group.each for group, _ in [*appenders, *loggers]})
    return _Roles(levels, loggers, roots, appenders, values, placeholder, references, {one.each: one.label for one in found})


def _tail(look: str) -> str:
    """Return the last name of a look-up: what it would be called in another group."""
    return re.split(r"[/.@]", look.strip("\"'"))[-1]


def _level_fields(group: Group) -> Iterator[str]:
    for name, one in group.fields.items():
        texts = one.texts()
        known = sum(_SCALE.threshold(text) is not None and not text.isdigit() for text in texts)
        if texts and known * 2 >= len(texts) and (known > 1 or len(texts) == 1) and _few_words(one):
            yield name


def _guessed(found: list[Group]) -> set[tuple[str, str]]:
    """Return what may stand for levels where no word is a known one: a few words that return in several groups."""
    groups_of: dict[str, list[tuple[str, str]]] = {}
    texts_of: dict[str, list[str]] = {}
    for group in found:
        for name, one in group.fields.items():
            if one.texts() and not one.below and all(_WORD.match(word) for word in one.texts()):
                groups_of.setdefault(_tail(name), []).append((group.each, name))
                texts_of.setdefault(_tail(name), []).extend(one.texts())
    likely = [
        tail for tail, texts in texts_of.items()
        if tail not in {"", "$"} and len(groups_of[tail]) > 1 and 1 < len(set(texts)) < len(texts) and len(set(texts)) <= _FEW
    ]  # fmt: skip
    best = max(likely, key=lambda tail: (len(groups_of[tail]), len(texts_of[tail])), default="")
    return set(groups_of[best]) if best else {(group.each, name) for group in found if (name := _numbers(group))}


def _numbers(group: Group) -> str:
    """Return the one value beside names in segments that is a whole number everywhere: levels may be numbers."""
    names = [name for name, one in group.fields.items() if any(_SEGMENTS.match(text) for text in one.texts())]
    others = [
        name for name, one in group.fields.items() if name not in names and one.texts() and all(map(str.isdigit, one.texts()))
    ]
    return others[0] if names and len(others) == 1 and len(group.parts) > 1 else ""


def _few_words(one: Field) -> bool:
    texts = one.texts()
    return bool(texts) and len(set(texts)) <= _FEW and all(len(text) <= 20 and " " not in text for text in texts)


def _key(group: Group, levels: set[tuple[str, str]]) -> str:
    """Return the look-up of what names each part of a group, nothing where there is none."""
    best, most = "", 0
    for name, one in group.fields.items():
        texts = one.texts()
        if (group.each, name) in levels or one.below or not texts or not all(_NAME.match(text) for text in texts):
            continue
        if not one.names() and not (group.nested and len(texts) == len(group.parts)):
            continue
        score = _likely_name(name, one)
        if score > most and (len(group.parts) > 1 or score > 2):
            best, most = name, score
    if not best and len(group.parts) == 1:
        return ""
    return best


def _likely_name(look: str, one: Field) -> int:
    """Return how likely a field names its parts: segments, a name that says so; paths and numbers rather not."""
    texts = one.texts()
    paths = any(_PATH.search(text) for text in texts)
    score = 1 + one.unique() + 3 * (look == '{text: "<name>"}') + 2 * (_tail(look) in {"name", "id", "key"})
    score += 4 * (not paths and any(_SEGMENTS.match(text) for text in texts))
    return score - 2 * paths - all(text.isdigit() for text in texts)


def _references(found: list[Group], keys: dict[str, str], levels: set[tuple[str, str]]) -> dict[tuple[str, str], str]:
    """Return which fields hold nothing but the names of another group: (group, look-up) to that group."""
    names = {group.each: set(group.fields[keys[group.each]].texts()) for group in found if keys[group.each]}
    refers: dict[tuple[str, str], str] = {}
    for group in found:
        own = frozenset(map(id, group.parts))
        outside = {one.each for one in found if not any(part.inside(own) for part in one.parts)}
        for name, one in group.fields.items():
            texts = {piece.strip() for text in one.texts() for piece in re.split(r"[,;|]", text) if piece.strip()}
            if not texts or (group.each, name) in levels:
                continue
            fits = [each for each, known in names.items() if each in outside and texts <= known]
            if fits:
                refers[group.each, name] = min(fits, key=lambda each: len(names[each]))
    return refers


def _patterns(group: Group, key: str) -> list[str]:
    return [
        name for name, one in group.fields.items()
        if name != key and one.texts() and all(len(_PATTERN.findall(text)) > 1 for text in one.texts())
    ]  # fmt: skip


def _like(one: Field, test: object) -> bool:
    texts = one.texts()
    return bool(texts) and all(test(text) for text in texts)  # type: ignore[operator]


def _values(found: list[Group], keys: dict[str, str], taken: set[str]) -> tuple[list[tuple[Group, str, str]], str]:
    """Return the group whose names other values have between signs of their own, and the expression for that."""
    texts = [text for group in found for one in group.fields.values() for text in one.texts()]
    whole: list[tuple[Group, str, str]] = []
    expression = ""
    for group in found:
        key = keys[group.each] or (OWN_NAME if OWN_NAME in group.fields else "")
        others = [name for name in group.fields if name != key]
        if not key or group.each in taken or len(others) != 1:
            continue
        signs: Counter[tuple[str, str]] = Counter()
        for name in set(group.fields[key].texts()):
            for text in texts:
                for before, after in re.findall(rf"([^\w\s/\\.]{{1,2}}){re.escape(name)}([^\w\s/\\.]{{1,2}}?)", text):
                    signs[before, after] += 1
        if signs:
            (before, after), _ = signs.most_common(1)[0]
            expression = expression or f"{re.escape(before)}(?P<name>[\\w.]+){re.escape(after)}"
            whole.append((group, key, others[0]))
    return whole, expression


# what is written


def _item(group: Group, keys: list[str], why: str) -> list[str]:
    return [f"  # {group.label}: {why}", f"  - each: {group.each}", *(f"    {one}" for one in keys)]


def _level_lines(found: list[Group], roles: _Roles) -> list[str]:
    """Return the words for levels that a plan does not know: what they mean is for the reader to say."""
    words = Counter(
        text
        for group in found
        for name, one in group.fields.items()
        if (group.each, name) in roles.levels
        for text in one.texts()
    )
    strange = [word for word in words if (_SCALE.threshold(word) is None or word.isdigit()) and not re.search(r"[^\w-]", word)]
    if not strange:
        return []
    shown = ", ".join(f"{word} ({counted(words[word], 'time')})" for word in strange[:_SHOWN])
    example = ", ".join(f"{quoted(word) if word.isdigit() else word.lower()}: debug" for word in strange[:_SHOWN])
    return [
        f"# words that stand where levels do, and that a plan does not know: {shown}",
        f"# levels: {{{example}}}   # say what each means",
    ]


def _logger_lines(roles: _Roles) -> list[str]:
    lines: list[str] = []
    for group in roles.roots:
        level = next(name for name in group.fields if (group.each, name) in roles.levels and not group.fields[name].below)
        keys = ["name: {text: root}", f"level: {level}", *_attachments(group, roles)[0]]
        lines += _item(group, keys, "one part with a word for a level and without a name: the root logger, it seems")
    for group, key in roles.loggers:
        level = next((name for name in group.fields if (group.each, name) in roles.levels and not group.fields[name].below), "")
        name = f'{{at: "ancestor-or-self::{group.label}/{key.strip(chr(34))}", join: "."}}' if group.nested else key
        why = f"{counted(len(group.parts), 'part')} with a name and " + (
            "a word for a level" if level else "the names of appenders"
        )
        why += "; they stand in each other" if group.nested else ""
        to, read = _attachments(group, roles)
        rest = [one for one in group.fields if one not in {key, level, *read}]
        lines += _item(group, [f"name: {name}", *([f"level: {level}"] if level else []), *to, *_unread(group, rest)], why)
    return ["loggers:", *lines] if lines else []


def _attachments(group: Group, roles: _Roles) -> tuple[list[str], set[str]]:
    """Return where a logger's part says what it delivers to (values that are names of the appenders), and what that reads."""
    targets = {one.each for one, _ in roles.appenders}
    for name, one in group.fields.items():
        if roles.references.get((group.each, name)) not in targets:
            continue
        split = next((sign for sign in ",;|" if any(sign in text for text in one.texts())), "")
        if not one.below:
            return [f"to: {{at: {name}, split: {quoted(split)}}}" if split else f"to: {name}"], {name}
        floor = next(
            (look for look, other in group.fields.items() if (group.each, look) in roles.levels and other.below == one.below),
            "",
        )
        if floor:
            inner = group.fields[floor].inner
            return [f"to: [{{each: {quoted(one.below)}, appender: {one.inner}, floor: {inner}}}]"], {name, floor}
        return [f"to: {name if name.startswith(chr(39)) else quoted(name)}"], {name}
    return [], set()


def _appender_lines(roles: _Roles) -> list[str]:
    lines: list[str] = []
    for group, key in roles.appenders:
        fields = {name: one for name, one in group.fields.items() if name != key}
        paths = [name for name, one in fields.items() if _like(one, _PATH.search)]
        users = sorted({roles.labels[each] for (each, _), target in roles.references.items() if target == group.each})
        keys = [
            f"name: {key}",
            f"sink: {{text: {'file' if paths else 'console'}}}   # or: {{at: …, words: {{…}}}}, where the document says it",
        ]
        if paths:
            path = paths[0] if paths[0].startswith(("{", '"', "'")) else quoted(paths[0])
            keys.append(f"path: {path}")
        floors = [name for name in fields if (group.each, name) in roles.levels]
        keys += [f"floor: {name}" for name in floors[:1]]
        rest = [name for name in fields if name not in {*paths[:1], *floors[:1]}]
        keys += _unread(group, rest)
        lines += _item(group, keys, f"{counted(len(group.parts), 'part')} with names that {' and '.join(users)} refer to")
    return ["appenders:", *lines] if lines else []


def _unread(group: Group, names: list[str]) -> list[str]:
    """Return remarks on the fields that are not read, each with what it looks like."""
    return [f"# {name}: {_looks(group.fields[name])}" for name in names]


def _looks(one: Field) -> str:
    texts = list(dict.fromkeys(one.texts()))
    shown = ", ".join(texts[:3])[:80].replace("\n", " ")
    for test, words in _LOOKS:
        if texts and all(test(text) for text in texts):
            return f"{words}: {shown}"
    return shown


def _read_by(reading: object, text: str) -> bool:
    try:
        reading(text)  # type: ignore[operator]
    except NotUnderstood:
        return False
    return True


_LOOKS = (
    (lambda text: text.strip().lower() in {"true", "false", "yes", "no", "on", "off"}, "yes or no"),
    (lambda text: text.isdigit(), "whole numbers (keep: {files: …}?)"),
    (lambda text: _read_by(size, text) or _SIZE_LIKE.match(text) is not None, "sizes (roll: {at-size: …}?)"),
    (lambda text: _read_by(duration, text), "durations (roll: {keep: {age: …}}, or buffer: {age: …}?)"),
    (
        lambda text: len(_PATTERN.findall(text)) > 1 and "/" not in text,
        "patterns of a line (template: {at: …, by: SET}, with tokens: of your own)",
    ),
    (lambda text: _PATH.search(text) is not None, "paths (roll: {rename-to: …}?)"),
)
