"""Sizes and durations as people write them.

Sizes follow IEC 80000-13 (KiB, MiB …) and the SI (kB, MB …); durations are `14 days` or ISO 8601 (`P14D`).
A day is 24 hours; months and years have no fixed length and are refused.
"""

from __future__ import annotations

import re
from datetime import timedelta
from fractions import Fraction

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.wording import counted, plural

_UNITS: dict[str, int] = {"B": 1, "byte": 1, "bytes": 1, "KB": 1000}
for _power, _prefix in enumerate("kMGTP", start=1):
    _UNITS[f"{_prefix}B"] = 1000**_power
    _UNITS[f"{_prefix.upper()}iB"] = 1024**_power
SIZE_PATTERN = r"^\s*[0-9]+(\.[0-9]+)?\s*(B|bytes?|[kKMGTP]B|[KMGTP]iB)\s*$"
_SIZE = re.compile(r"\s*([0-9]{1,18}(?:\.[0-9]{1,9})?)\s*([A-Za-z]+)\s*\Z")
_NUMBER = re.compile(r"\s*[0-9]{1,15}(?:\.[0-9]{1,9})?\s*\Z")
_SPANS: dict[str, int] = {"millisecond": 1, "second": 1000, "minute": 60_000, "hour": 3_600_000}
_SPANS |= {"day": 86_400_000, "week": 604_800_000}
_SYMBOLS = {"ms": "millisecond", "s": "second", "min": "minute", "h": "hour", "d": "day"}
DURATION_PATTERN = (
    r"^\s*([0-9]+(\.[0-9]+)?\s*((millisecond|second|minute|hour|day|week)s?|ms|s|min|h|d)"
    r"|P(?=[0-9T])([0-9]+W)?([0-9]+D)?(T(?=[0-9])([0-9]+H)?([0-9]+M)?([0-9]+(\.[0-9]+)?S)?)?)\s*$"
)
_DURATION = re.compile(r"\s*([0-9]{1,15}(?:\.[0-9]{1,6})?)\s*([a-zA-Z]+)\s*\Z")
_ISO = re.compile(
    r"\s*P(?=[0-9T])(?:([0-9]{1,9})W)?(?:([0-9]{1,9})D)?"
    r"(?:T(?=[0-9])(?:([0-9]{1,9})H)?(?:([0-9]{1,9})M)?(?:([0-9]{1,12}(?:\.[0-9]{1,6})?)S)?)?\s*\Z"
)
_LONGEST_MS = 1000 * 366 * 86_400_000


def size(text: object) -> int:
    """Return the bytes that ``text`` means, its part bytes cut off; raise NotUnderstood where it means none."""
    if _unitless(text):
        raise NotUnderstood(f'{text} has no unit: write "{text} B", "{text} MiB" or "{text} GB"')
    match = _SIZE.match(str(text))
    if not match:
        raise NotUnderstood(f'"{str(text)[:40]}" is not a size: write a number and a unit, such as "20 MiB" or "2 GB"')
    number, unit = match.groups()
    if unit not in _UNITS:
        raise NotUnderstood(f'unit "{unit}" is not known: B, kB, MB, GB, TB (powers of 1000) or KiB, MiB, GiB, TiB (of 1024)')
    return int(Fraction(number) * _UNITS[unit])


def _unitless(text: object) -> bool:
    """Tell whether ``text`` is a number that would do with a unit."""
    if isinstance(text, bool):
        return False
    return bool(_NUMBER.match(str(text))) and float(str(text)) > 0


def duration(text: object) -> timedelta:
    """Return the span of time that ``text`` means, raise NotUnderstood where it means none."""
    if _unitless(text):
        raise NotUnderstood(f'{text} has no unit: write "{text} seconds", "{text} hours" or "{text} days"')
    whole = str(text)
    match = _DURATION.match(whole)
    if match:
        number, unit = match.groups()
        word = _SYMBOLS.get(unit, unit.lower())
        word = word[:-1] if word.endswith("s") and len(word) > 1 else word
        if word in {"month", "year"}:
            raise NotUnderstood(f"a {word} has no fixed length: give days")
        if word not in _SPANS:
            raise NotUnderstood(f'unit "{unit}" is not known: seconds, minutes, hours, days or weeks')
        return _span(Fraction(number) * _SPANS[word], whole)
    iso = _ISO.match(whole)
    if iso:
        weeks, days, hours, minutes, seconds = (Fraction(part or 0) for part in iso.groups())
        return _span(weeks * 604_800_000 + days * 86_400_000 + hours * 3_600_000 + minutes * 60_000 + seconds * 1000, whole)
    if whole.strip().startswith("P"):
        raise NotUnderstood(
            f'"{whole[:40]}" is no ISO 8601 duration of weeks, days, hours, minutes and seconds (as P14D or PT12H)'
        )
    raise NotUnderstood(f'"{whole[:40]}" is not a duration: write a number and a unit, such as "14 days", or ISO 8601 (P14D)')


def _span(milliseconds: Fraction, whole: str) -> timedelta:
    if milliseconds > _LONGEST_MS:
        raise NotUnderstood(f'"{whole.strip()[:40]}" is longer than 1000 years')
    return timedelta(microseconds=int(milliseconds * 1000))


def show_size(count: float) -> str:
    """Return bytes for people, in IEC units with at most one decimal."""
    value = float(count)
    for unit in ("B", "KiB", "MiB", "GiB", "TiB"):
        if value < 1024 or unit == "TiB":
            break
        value /= 1024
    return f"{value:.0f} {unit}" if unit == "B" or value >= 100 else f"{value:.1f} {unit}"


def exact_size(count: int) -> str:
    """Return bytes as a size could be written that means exactly them: in a unit that they fill evenly, the shortest such text."""
    units = ("TiB", "GiB", "MiB", "KiB", "TB", "GB", "MB", "kB") if count else ()
    texts = [f"{count // _UNITS[unit]} {unit}" for unit in units if count % _UNITS[unit] == 0]
    return min(texts, key=lambda text: len(text.partition(" ")[0]), default=f"{count} B")


def exact_span(span: timedelta) -> str:
    """Return a span as it could be written that means exactly it: in the largest unit that it fills evenly."""
    microseconds = span // timedelta(microseconds=1)
    for unit, length in reversed(_SPANS.items()):
        count, rest = divmod(microseconds, length * 1000)
        if count and not rest:
            return f"{count} {plural(count, unit)}"
    return f"PT{microseconds / 1_000_000:f}".rstrip("0") + "S"


def show_span(span: timedelta) -> str:
    """Return a span for people: its two largest units (`2 days 5 hours`)."""
    seconds = int(span.total_seconds())
    if seconds < 1:
        return "0 seconds" if not span else f"{span.microseconds // 1000} milliseconds"
    parts = []
    for word, length in (("day", 86400), ("hour", 3600), ("minute", 60), ("second", 1)):
        count, seconds = divmod(seconds, length)
        if count:
            parts.append(counted(count, word))
        elif parts:
            break
    return " ".join(parts[:2])
