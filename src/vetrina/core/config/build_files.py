"""A file appender's rolling policy built of what a plan says: every contradiction in it is told."""

from __future__ import annotations

import re
from collections.abc import Callable

from vetrina.core.base.faults import Fault, Place, nearest
from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.config.sections import AppenderKeys, KeepKeys, RollKeys
from vetrina.core.plan.file_names import COMPRESSED, NamePattern, name_pattern
from vetrina.core.plan.rolling_policy import UNITS, Every, Keep, Roll
from vetrina.core.templates.language import BadTemplate

_EVERY = re.compile(r"(?:([0-9]{1,5})\s+)?(minute|hour|day|week|month|year)s?\Z")
_AT = re.compile(r"([01][0-9]|2[0-3]):([0-5][0-9])\Z")
_MOST = {"minute": 24 * 60, "hour": 24, "day": 36_500}
Report = Callable[[Fault], None]


def build_roll(section: AppenderKeys, zone: str, report: Report) -> Roll | None:
    """Return the policy of a file appender; every contradiction in it goes to ``report``."""
    path, append_key, roll = section.own.get("path"), section.own.get("append"), section.roll
    if not isinstance(path, Sourced):
        return None
    pattern = _pattern(path, zone, report)
    if pattern is None:
        return None
    append = bool(append_key.value) if isinstance(append_key, Sourced) else True
    if roll is None:
        if pattern.has_period:
            report(_policy('"{period}" in path needs a roll with every', path.origin.place, "add roll: {every: day}"))
        if pattern.codec:
            report(_compressed(pattern, path.origin.place))
        return Roll(pattern, path.origin, rolls=False, append=append)
    renamed = roll.rename_to
    found = Roll(
        path=pattern,
        origin=Origin(roll.held.layer.kind, roll.held.key_place, roll.held.layer.label),
        every=_every(roll.every, roll.at, report),
        at_size=roll.at_size,
        size_after=_word(roll.size_check) == "after",
        each_start=bool(roll.each_start and roll.each_start.value),
        rename_to=_pattern(renamed, zone, report) if renamed else None,
        newest_first=_word(roll.newest) == "first",
        keep=_keep(roll.keep),
        append=append,
    )
    _contradictions(found, roll, path.origin.place, report)
    return found


def _word(given: Sourced[str] | None) -> str:
    return given.value if given else ""


def _keep(section: KeepKeys | None) -> Keep:
    return Keep(section.files, section.age, section.disk) if section else Keep()


def _pattern(text: Sourced[str], zone: str, report: Report) -> NamePattern | None:
    place = text.origin.place
    if "\0" in text.value:
        report(_policy("a path cannot hold a NUL character", place))
        return None
    try:
        return name_pattern(text.value, zone)
    except BadTemplate as bad:
        if text.shown != text.value:
            report(_policy("a path with a hidden value in it cannot be read", place))
        for fault in bad.faults if text.shown == text.value else ():
            report(
                Fault("bad-template", f"{fault.what} at character {fault.offset + 1} of the name", fix=fault.fix, place=place)
            )
        return None


def _every(every: Sourced[str] | None, at: Sourced[str] | None, report: Report) -> Every | None:
    minutes = 0
    if at is not None:
        clock = _AT.match(at.value)
        if clock:
            minutes = int(clock.group(1)) * 60 + int(clock.group(2))
        else:
            report(_policy(f'"at" wants a wall-clock time such as "03:00", and this is "{at}"', at.origin.place))
    if every is None:
        if at is not None:
            report(_policy('"at" needs "every"', at.origin.place, "add every: day"))
        return None
    match = _EVERY.match(every.value.strip().lower())
    count = int(match.group(1) or 1) if match else 0
    unit = match.group(2) if match else ""
    if not match or (match.group(1) and unit not in _MOST):
        close = nearest(every.value, UNITS)
        hint = f'did you mean "{close[0]}"?' if close else "write minute, hour, day, week, month, year, or 6 hours, 2 days"
        report(_policy(f'"{str(every)[:40]}" is not a period', every.origin.place, hint))
        return None
    if not 1 <= count <= _MOST.get(unit, 1):
        report(_policy(f"every {count} {unit}s is not possible: from 1 to {_MOST[unit]:,}", every.origin.place))
        return None
    if at is not None and unit in {"minute", "hour"}:
        report(
            _policy(f'"at" moves the boundary of days and longer, and this rolls every {unit}', at.origin.place, "remove at")
        )
    return Every(unit, count, minutes)


def _contradictions(roll: Roll, section: RollKeys, path_place: Place | None, report: Report) -> None:
    in_path = roll.path.has_period or roll.path.has_number
    sized = roll.at_size is not None or roll.each_start
    place = section.held.key_place
    if roll.path.codec:
        report(_compressed(roll.path, path_place))
    named = section.held.get("rename-to") is not None or section.held.misspells("rename-to")
    if roll.rename_to is None and not named and not in_path:
        report(_policy("a rolled file has no name to go to", place, "add rename-to: with {period} or {n}, or put them in path"))
    if in_path and roll.rename_to is not None:
        report(_policy('"rename-to" has no use: path has {period} or {n}, so files bear their final names at once',
                       _place(section.rename_to), "remove rename-to, or the placeholders from path"))  # fmt: skip
    if roll.path.has_period and not roll.path.has_number and sized:
        why = "at-size" if roll.at_size is not None else "each-start"
        report(_policy(f"path has {{period}} but no {{n}}, and {why} needs several names in one period", path_place, "add {n}"))
    for pattern, where in ((roll.path, path_place), (roll.rename_to, _place(section.rename_to))):
        if (
            pattern is not None
            and pattern.has_period
            and section.held.get("every") is None
            and not section.held.misspells("every")
        ):
            report(_policy("{period} needs every: without it there are no periods", where, "add every: day"))


def _place(text: Sourced[str] | None) -> Place | None:
    return text.origin.place if text else None


def _compressed(pattern: NamePattern, place: Place | None) -> Fault:
    return _policy(f"the open file cannot be compressed ({pattern.codec})", place,
                   f"take {pattern.codec} from path; give it to rename-to: ({', '.join(COMPRESSED)})")  # fmt: skip


def _policy(what: str, place: Place | None, fix: str = "") -> Fault:
    return Fault("bad-policy", what, fix=fix, place=place)
