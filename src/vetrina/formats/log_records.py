"""Logs of one record a line that follow a standard: JSON (RFC 8259) and syslog (RFC 5424), back into an event's values."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import msgspec

from vetrina.core.base.events import ErrorDetail
from vetrina.core.base.levels import Scale
from vetrina.core.base.logger_names import event_name
from vetrina.core.config.placeholders import typed
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.forms import JsonObjectForm, Members, PairsLine, RawMember
from vetrina.core.templates.reading_back import Inverse, Values, invert
from vetrina.core.templates.undoing import Misfit, typed_text

Read = Callable[[str, Scale], Values]
"""From a line to an event's values; raises Misfit for one that is not of the format."""
_Member = Callable[[Any, Values, Scale], None]
_ELEMENT = r'\[[^\s="\]]++(?: [^\s="\]]++="(?:[^"\\\]]++|\\.)*+")*+\]'
_SYSLOG = re.compile(rf"<(\d{{1,3}})>1 (\S+) (\S+) (\S+) (\S+) (\S+) (-|(?:{_ELEMENT})++)(?: (.*))?", re.DOTALL)
_SD_PARAM = re.compile(r' ([^=\s]+)="((?:[^"\\\]]|\\.)*)"')
_SEVERITIES = {7: "debug", 6: "info", 5: "notice", 4: "warn", 3: "error", 2: "critical", 1: "alert", 0: "fatal"}
_TYPES: dict[str, Any] = {
    "message": str, "logger": str, "thread": str | int, "process": str | int, "host": str, "channel": str, "source.file": str,
    "source.line": int, "source.function": str, "error": str | ErrorDetail,
}  # fmt: skip
_ALWAYS = frozenset({"time", "level", "severity", "logger"})
"""Sources that are never empty, so that `omit-empty` leaves none of them out."""


def json_reader(template: JsonObjectForm) -> Read:
    """Return what reads a JSON template's lines. Members that the template does not know become fields, as in events."""
    decode = msgspec.json.Decoder(dict[str, Any]).decode
    readers = _member_readers(template.members, required=not template.omit_empty)

    def read(line: str, scale: Scale) -> Values:
        try:
            document = decode(line)
        except (ValueError, RecursionError):
            raise Misfit("it is no JSON object") from None
        values: Values = {}
        _read_members(document, values, scale, readers)
        further = {name: value for name, value in document.items() if name not in readers}
        if further:
            values["fields"] = further | (values.get("fields") or {})
        return values

    return read


_PAIR = re.compile(r'([^=\s"]+)=("(?:[^"\\]|\\.)*"|[^\s"]*)(?:\s+|$)')


def pairs_reader(template: PairsLine) -> Read:
    """Return what reads lines of `k=v k=v`, in any order; values may stand between `"`, with JSON's escapes."""
    readers = _member_readers(template.members, required=False)

    def read(line: str, scale: Scale) -> Values:
        texts = _pairs(line.strip())
        values: Values = {}
        _read_members(texts, values, scale, readers)
        further = {name: typed_text(text) for name, text in texts.items() if name not in readers}
        if further:
            values["fields"] = further
        return values

    return read


def _pairs(line: str) -> dict[str, str]:
    texts: dict[str, str] = {}
    at = 0
    while at < len(line):
        match = _PAIR.match(line, at)
        if match is None:
            raise Misfit(f'"{line[at : at + 40]}" is no k=v')
        name, text = match.groups()
        if name in texts:
            raise Misfit(f'"{name[:40]}" is there twice')
        try:
            texts[name] = json.loads(text) if text.startswith('"') else text
        except ValueError:
            raise Misfit(f'the text of "{name[:40]}" is not escaped as JSON does') from None
        at = match.end()
    return texts


_Readers = dict[str, tuple[_Member, bool]]


def _read_members(document: dict[str, Any], values: Values, scale: Scale, readers: _Readers) -> None:
    for name, (reader, required) in readers.items():
        if name in document:
            try:
                reader(document[name], values, scale)
            except Misfit as misfit:
                raise Misfit(f'member "{name[:60]}": {misfit}') from None
        elif required:
            raise Misfit(f'member "{name[:60]}" is missing')


def _member_readers(members: Members, *, required: bool) -> _Readers:
    readers: _Readers = {}
    for name, member in members.items():
        if isinstance(member, TextTemplate):
            always = any(one.source in _ALWAYS for one in member.placeholders)
            readers[name] = _text_member(invert(member)), required or always
        elif isinstance(member, RawMember):
            readers[name] = _raw_member(member), required or member.source in _ALWAYS
        else:
            inner = _member_readers(member, required=required)

            def nested(value: Any, values: Values, scale: Scale, inner: _Readers = inner) -> None:
                if not isinstance(value, dict):
                    raise Misfit("it is no object")
                unknown = next((key for key in value if key not in inner), None)
                if unknown is not None:
                    raise Misfit(f'it has a member "{unknown[:40]}", which the template does not write')
                _read_members(value, values, scale, inner)

            readers[name] = nested, required
    return readers


def _text_member(inverse: Inverse) -> _Member:
    unit = _epoch_unit(inverse)

    def read(value: Any, values: Values, scale: Scale) -> None:
        del scale
        if unit is not None and isinstance(value, int | float) and not isinstance(value, bool):
            merge_values(values, {"time": _since_epoch(value, unit)})
            return
        if not isinstance(value, str):
            raise Misfit("it is no text")
        found = inverse.values(value)
        if found is None:
            raise Misfit(inverse.why_not(value))
        merge_values(values, found)

    return read


def _epoch_unit(inverse: Inverse) -> timedelta | None:
    """Return what a number counts, where a member is nothing but the time since 1970."""
    if len(inverse.placeholders) != 1 or inverse.placeholders[0].source != "time":
        return None
    names = {step.name for step in inverse.placeholders[0].steps}
    return timedelta(seconds=1) if "epoch" in names else timedelta(milliseconds=1) if "epoch-ms" in names else None


def _since_epoch(count: float, unit: timedelta) -> datetime:
    try:
        return datetime(1970, 1, 1, tzinfo=UTC) + count * unit
    except (OverflowError, ValueError):
        raise Misfit(f"{str(count)[:40]} is no time since 1970") from None


def _raw_member(member: RawMember) -> _Member:
    place = {
        "text": "message", "file": "source.file", "line": "source.line", "function": "source.function",
    }.get(member.source, member.source)  # fmt: skip

    def read(value: Any, values: Values, scale: Scale) -> None:
        if member.source == "sequence" or (value is None and member.source not in _ALWAYS | {"field"}):
            return
        if member.source in {"fields", "other-fields"}:
            if not isinstance(value, dict):
                raise Misfit("it is no object of fields")
            merge_values(values, {"fields": value})
        elif member.source == "field":
            if value is not None:  # null is what a missing field is written as
                merge_values(values, {"fields": {member.argument or "": value}})
        elif member.source in {"level", "severity"}:
            merge_values(values, {"level": _level(value, scale)})
        elif member.source == "time":
            merge_values(values, {"time": _time(value)})
        else:
            merge_values(values, {place: _converted(value, place)})

    return read


def _level(value: Any, scale: Scale) -> str:
    severity = scale.severity(value)
    if severity is None:
        raise Misfit(f'"{str(value)[:40]}" is no level')
    return scale.name(severity)


def _converted(value: Any, place: str) -> Any:
    try:
        return msgspec.convert(value, _TYPES[place])
    except msgspec.ValidationError as error:
        raise Misfit(str(error)[:1].lower() + str(error)[1:].partition(" - at")[0]) from None


def _time(value: Any) -> datetime:
    try:
        found = datetime.fromisoformat(value)
    except (ValueError, TypeError):
        found = None
    if found is None or found.tzinfo is None:
        raise Misfit(f'"{str(value)[:40]}" is no time by RFC 3339')
    return found


def merge_values(values: Values, found: Values) -> None:
    """Put what was found beside what is known; raise Misfit where two parts of one record contradict each other."""
    for key, value in found.items():
        if key in {"resolution", "seen"}:
            continue
        if key == "fields":
            fields = values.setdefault("fields", {})
            for name, one in value.items():
                if fields.setdefault(name, one) != one:
                    raise Misfit(f'the field "{name[:40]}" has two values in one line')
        elif values.setdefault(key, value) != value and key not in {"time", "clock"}:
            raise Misfit(f"two parts of it give another {key}")
        elif key == "time" and found.get("resolution", 1) <= values.get("resolution", 1):
            values[key] = value
    if "time" in found and "resolution" in found:
        values["resolution"] = min(found["resolution"], values.get("resolution", found["resolution"]))


def syslog_reader(inverse: Inverse, app: str) -> Read:
    """Return what reads messages by RFC 5424.

    Where the template names no ``app`` and its text no logger, the application that a message names is its logger.
    """
    named = not app and not any(one.source == "logger" for one in inverse.placeholders)

    def read(line: str, scale: Scale) -> Values:
        del scale
        match = _SYSLOG.fullmatch(line)
        if match is None or int(match.group(1)) > 191:
            raise Misfit("it is no message by RFC 5424")
        priority, time, host, app, process, _, data, message = match.groups()
        found = inverse.values(message or "")
        if found is None:
            raise Misfit(f"its text does not fit: {inverse.why_not(message or '')}")
        values: Values = {"time": _time(time), "level": _SEVERITIES[int(priority) % 8]}
        values |= {key: value for key, value in (("host", host), ("process", process)) if value != "-"}
        fields: dict[str, list[Any]] = {}
        for name, value in _SD_PARAM.findall(data):
            fields.setdefault(name, []).append(typed_value(re.sub(r'\\(["\\\]])', r"\1", value)))
        if fields:
            values["fields"] = {name: all_[0] if len(all_) == 1 else all_ for name, all_ in fields.items()}
        if named and app != "-" and not found.get("logger"):
            values["logger"] = event_name(app)
        found.pop("level", None)  # the priority says so more exactly than a text can contradict
        merge_values(values, found)
        return values

    return read


def typed_value(text: str) -> Any:
    """Return a syslog value as the number, boolean or text that it stands for."""
    found = typed(text)
    return found if isinstance(found, int) and not isinstance(found, bool) and str(found) == text else text
