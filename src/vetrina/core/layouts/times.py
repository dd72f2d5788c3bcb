"""Where a time stands in lines, and in which form: as the steps of a template's `{time}`."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from datetime import date

from msgspec import Struct

from vetrina.core.base.clocks import MONTHS

_SHORT = {name[:3]: at for at, name in enumerate(MONTHS, start=1)}
_LONG = {name: at for at, name in enumerate(MONTHS, start=1)}
_MONTH = "|".join([*_LONG, *_SHORT])
_DAY_NAME = "(?:Mon|Tues?|Wed(?:nes)?|Thu(?:rs)?|Fri|Sat(?:ur)?|Sun)(?:day)?"
_DATES = (
    r"(?P<y1>\d{4})(?P<s1>[-/.])(?P<a1>\d\d)(?P=s1)(?P<b1>\d\d)",
    r"(?P<a2>\d\d)(?P<s2>[-/.])(?P<b2>\d\d)(?P=s2)(?P<y2>\d{4})",
    r"(?P<a3>\d\d)(?P<s3>[-/.])(?P<b3>\d\d)(?P=s3)(?P<c3>\d\d)",
    r"(?P<y4>(?:19|20)\d\d)(?P<a4>\d\d)(?P<b4>\d\d)",
    rf"(?P<d5>\d\d)(?P<s5>[-/. ])(?P<m5>{_MONTH})(?P=s5)(?P<y5>\d{{4}})",
    rf"(?P<m6>{_MONTH}) (?P<d6>\d\d)(?P<k6>,?) (?P<y6>\d{{4}})",
    rf"(?P<m7>{_MONTH}) (?P<d7>\d\d)",
)
_CLOCKS = (
    r"(?P<h>\d\d):(?P<i>\d\d)(?::(?P<sec>\d\d)(?:(?P<fs>[.,])(?P<f>\d{1,9}))?)?(?P<half> ?(?:AM|PM))?",
    r"(?P<ch>\d\d)(?P<ci>[0-5]\d)(?P<cs>[0-5]\d)(?:(?P<cfs>[.,])(?P<cf>\d{3}|\d{6}))?",
)
_ZONES = (
    "ZONE|UTC|GMT|ACDT|ACST|ADDT|ADT|AEDT|AEST|AHDT|AHST|AKDT|AKST|AST|AWDT|AWST|BDT|BST|CAST|CAT|CDT|CEST|CET|CST|"
    "EAT|EDT|EEST|EET|EST|GDT|GST|HDT|HKST|HKT|HST|IDT|IST|JST|KDT|KST|MDT|MEST|MESZ|MET|MEZ|MMT|MSD|MSK|MST|NDDT|"
    "NDT|NST|NZDT|NZST|PDT|PKST|PKT|PST|SAST|SST|WAST|WAT|WEST|WET|WIB|WIT|WITA|YDT|YST"
)
"""How zones are called in letters, by the time zone database, and in German: another word after a time is none."""
_ZONE = rf"(?P<zone>(?P<zs> ?)(?:(?P<z>[+-]\d{{4}})(?!\d)|(?P<colon>[+-]\d\d:\d\d)|(?P<utc>Z\b)|(?P<word>{_ZONES})\b))?"
_EPOCH = r"(?P<epoch>(?<![\d.-])(?:[12]\d{9}(?:\.\d{1,9})?|[12]\d{12})(?![\d.]))"
_SHORT_DAY = r"(?P<sy>\d\d)(?P<sm>\d\d)(?P<sd>\d\d)"


def _expressions() -> Iterable[re.Pattern[str]]:
    before, after = r"(?<![\d.\w])(?<!\d:)", r"(?!\d|:\d)"
    for day in _DATES:
        yield re.compile(rf"{before}(?P<name>{_DAY_NAME},? )?{day}(?P<join>[T_ :;,\t-]|, |; | - ){_CLOCKS[0]}{_ZONE}{after}")
    for day in _DATES[:-1]:
        yield re.compile(rf"{before}{_CLOCKS[0]}(?P<after>[ ,;T]|, |; ){day}{after}")
    yield re.compile(rf"{before}{_SHORT_DAY}(?P<join>[T_ -]){_CLOCKS[1]}{after}")
    yield re.compile(rf"{before}{_DATES[3]}(?P<join>[T_ :-]?){_CLOCKS[1]}{_ZONE}{after}")
    yield re.compile(rf"{before}{_CLOCKS[0]}{after}")
    yield re.compile(_EPOCH)


_EXPRESSIONS = tuple(_expressions())
_WITHIN = 200
_DAY_LONG = re.compile("(?:Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)day")


class Met(Struct, frozen=True):
    """A time in a line: from where to where, the steps that may read it, the usual one first (empty for RFC 3339)."""

    begun: int
    ended: int
    steps: tuple[str, ...]


def first_time(line: str) -> Met | None:
    """Return the first time in a line's beginning, None where there is none."""
    best: Met | None = None
    for expression in _EXPRESSIONS:
        match = expression.search(line, 0, _WITHIN)
        if match is None or (best is not None and match.start() >= best.begun):
            continue
        found = {name: text for name, text in match.groupdict().items() if text is not None}
        steps, left_over = _steps(found)
        if steps:
            best = Met(match.start(), match.end() - left_over, tuple(steps))
    return best


def _steps(found: dict[str, str]) -> tuple[list[str], int]:
    """Return the steps that read a time, the usual one first, and how many digits of its end they leave over."""
    if "epoch" in found:
        return ["epoch-ms" if len(found["epoch"].partition(".")[0]) == 13 else "epoch"], 0
    days = _days(found)
    if ("join" in found or "after" in found) and not days:
        return [], 0
    if days == ["%Y-%m-%d"] and found.get("join") in {"T", " "} and _by_standard(found):
        return [""], 0
    if "colon" in found:
        return [], 0
    clock, left_over = _clock(found)
    zone = _zone(found)
    if left_over and (zone or "half" in found):
        return [], 0
    if "after" in found:
        return [] if left_over else [f"{clock}{found['after']}{day}" for day in days], 0
    name = found.get("name", "")
    lead = re.sub(r"[A-Za-z]+", "%A" if _DAY_LONG.match(name) else "%a", name)
    place = "in UTC|" if "utc" in found or found.get("word") in {"UTC", "GMT"} else ""
    return [f"{place}{lead}{day}{found.get('join', '')}{clock}{zone}" for day in days or [""]], left_over


def _by_standard(found: dict[str, str]) -> bool:
    """Tell whether a time with a date is one by RFC 3339."""
    return (
        ("colon" in found or "utc" in found)
        and not found["zs"]
        and "sec" in found
        and found.get("fs") != ","
        and "half" not in found
    )


def _clock(found: dict[str, str]) -> tuple[str, int]:
    if "ch" in found:
        return "%H%M%S" + (f"{found['cfs']}%{len(found['cf'])}f" if "cf" in found else ""), 0
    text, left_over = ("%I" if "half" in found else "%H") + ":%M" + (":%S" if "sec" in found else ""), 0
    if "f" in found:
        digits = len(found["f"])
        whole = max(one for one in (0, 3, 6) if one <= digits)
        left_over = digits - whole if whole else digits + 1
        text += f"{found['fs']}%{whole}f" if whole else ""
    return text + re.sub("AM|PM", "%p", found.get("half", "")), left_over


def _zone(found: dict[str, str]) -> str:
    if "z" in found:
        return found["zs"] + "%z"
    if "word" in found:
        return found["zs"] + "%Z"
    return found["zs"] + "Z" if "utc" in found else ""


def _days(found: dict[str, str]) -> list[str]:
    """Return the patterns that a date may be of; nothing where there is no date."""
    if "y4" in found:
        return ["%Y%m%d"] if _fits(found, "a4", "b4") else []
    if "sm" in found:
        return ["%y%m%d"] if _fits(found, "sm", "sd") and int(found["ch"]) < 24 else []
    if "m5" in found:
        return [f"%d{found['s5']}{one}{found['s5']}%Y" for one in _months(found["m5"])]
    if "m6" in found:
        return [f"{one} %d{found['k6']} %Y" for one in _months(found["m6"])]
    if "m7" in found:
        return [f"{one} %d" for one in _months(found["m7"])]
    sign = found.get("s1") or found.get("s2") or found.get("s3") or ""
    return [one.replace("/", sign) for one, month, day in _ORDERS if month in found and _fits(found, month, day)]


_ORDERS = (
    ("%Y/%m/%d", "a1", "b1"), ("%d/%m/%Y", "b2", "a2"), ("%m/%d/%Y", "a2", "b2"),
    ("%y/%m/%d", "b3", "c3"), ("%d/%m/%y", "b3", "a3"), ("%m/%d/%y", "a3", "b3"),
)  # fmt: skip
"""Orders of day and month, with the groups that are the month and the day."""


def _fits(found: dict[str, str], month: str, day: str) -> bool:
    try:
        date(2000, int(found[month]), int(found[day]))
    except ValueError:
        return False
    return True


def _months(text: str) -> list[str]:
    return [sign for sign, names in (("%b", _SHORT), ("%B", _LONG)) if text in names]


def agreed(met: Iterable[Met]) -> list[str]:
    """Return the steps that read most of these times, the usual ones first; further ones only where they read as many."""
    votes: Counter[str] = Counter()
    for one in met:
        votes.update(one.steps)
    most = max(votes.values(), default=0)
    return [step for step in votes if votes[step] == most]
