"""From what is held (layers merged) to a Plan: filled, typed, and held against itself.

Here: faults of meaning that need the whole plan (an undefined appender, a template that cannot be read). Not here:
the kinds of single values (kinds.py), policies of rolling (build_files.py).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from vetrina.core.base import clocks
from vetrina.core.base.expressions import BadExpression, Expression
from vetrina.core.base.faults import Fault, Place, nearest
from vetrina.core.base.levels import ALL, OFF, Scale, new_name_fault
from vetrina.core.base.origins import DEFAULT, Origin, Sourced
from vetrina.core.base.secrets import fold_name
from vetrina.core.config.build_files import build_roll
from vetrina.core.config.grammar import FACILITIES, PLAN_KEYS, VERDICTS, root_name
from vetrina.core.config.placeholders import Filled, Filler, Use, typed
from vetrina.core.plan.conditions import All, Condition, ErrorIs, FieldIs, LevelIs, LoggerIs, MessageMatches, Not, OneOf
from vetrina.core.plan.model import Appender, Attachment, Buffer, Logger, Plan, Rule, Sink, Waiver
from vetrina.core.schema.containers import Section, unknown_key
from vetrina.core.schema.held import MergedNode
from vetrina.core.schema.kinds import Read
from vetrina.core.schema.nodes import Scalar
from vetrina.core.sink_kinds import KINDS
from vetrina.core.sink_kinds.kind import full_path
from vetrina.core.templates.compiling import Setting, TextTemplate, source_fault, text_template
from vetrina.core.templates.forms import (
    DEFAULT_TEXT,
    CsvRow,
    JsonObjectForm,
    Members,
    PlainText,
    RawMember,
    SyslogLine,
    TableRow,
    Template,
)
from vetrina.core.templates.language import BadTemplate, Placeholder, TemplateFault, parse
from vetrina.core.templates.masking import Mask

_NAMES_SHOWN = 12


class PlanReader(Struct):
    """Reads filled scalars for the kinds, and collects faults."""

    filler: Filler
    faults: list[Fault] = field(default_factory=list)
    scale: Scale = field(default_factory=Scale)
    hidden: set[str] = field(default_factory=set)
    quoted: set[Place] = field(default_factory=set)
    filled: dict[Place, tuple[Use, ...]] = field(default_factory=dict)

    def report(self, fault: Fault) -> None:
        """Take a fault."""
        self.faults.append(fault)

    def scalar(self, held: MergedNode) -> Read | None:
        """Return the filled scalar, typed where it is plain; None for nothing and for a fault."""
        node = held.node
        if not isinstance(node, Scalar):
            return None
        filled = self.filler.fill(node)
        if isinstance(filled, Fault):
            self.faults.append(filled)
            return None
        value = typed(filled.text) if node.plain else filled.text
        if not node.plain and node.end - node.start == len(node.text) + 2:
            self.quoted.add(node.place)
        if value is None:
            return None
        if filled.uses:
            self.filled[node.place] = filled.uses
        if filled.shown != filled.text:
            self.hidden |= {one.text_within for one in _all_uses(filled.uses) if one.secret and one.text_within}
        return Read(value, filled.text, filled.shown, origin_of(held, filled))


def origin_of(held: MergedNode, filled: Filled | None = None) -> Origin:
    """Return where a value came from; one that was filled from outside the plan came from there."""
    outside = [use for use in _all_uses(filled.uses) if use.source in {"option", "env-file", "environment"}] if filled else []
    if outside:
        use = min(outside, key=lambda one: ("option", "env-file", "environment").index(one.source))
        place = None if held.layer.kind == "option" else held.place
        if use.source == "option":
            return Origin("option", place, f"--env {use.name}")
        return Origin("option" if use.source == "env-file" else "environment", place, f"{use.name} from {use.where}")
    if held.layer.kind == "option":
        return Origin("option", None, held.layer.label)
    return Origin(held.layer.kind, held.place, held.layer.label)


def _all_uses(uses: tuple[Use, ...]) -> list[Use]:
    return [inner for use in uses for inner in (use, *_all_uses(use.inner))]


def build(held: MergedNode, filler: Filler, name: str, folder: str) -> tuple[Plan | None, list[Fault]]:
    """Return the plan that ``held`` means and every fault of meaning in it; the plan is None when it has any.

    ``folder`` is where relative paths start unless the plan's ``workdir`` says otherwise.
    """
    reader = PlanReader(filler)
    reader.scale = _scale(held, reader)
    fields = {key: PLAN_KEYS[key].kind.read(child, reader) for key, child in held.living() if key not in {"levels", "values"}}
    builder = _Builder(reader, {key: got for key, got in fields.items() if got is not None}, name, folder)
    plan = builder.plan()
    reader.faults += filler.unused_faults()
    return (None if reader.faults else plan), [_with_values(fault, reader) for fault in reader.faults]


def _with_values(fault: Fault, reader: PlanReader) -> Fault:
    """Return a fault with the places of the values that its placeholders were filled with."""
    uses = reader.filled.get(fault.place, ()) if fault.place and not fault.related else ()
    found = []
    for use in _all_uses(uses):
        if use.place is not None:
            found.append((use.place, f"the value of ${{{use.name}}}"))
        elif use.source != "default" and fault.place is not None:
            found.append((fault.place, f"${{{use.name}}} comes from {use.where}"))
    return replace(fault, related=tuple(found)) if found else fault


def _scale(held: MergedNode, reader: PlanReader) -> Scale:
    levels = held.get("levels")
    extra: dict[str, int] = {}
    if levels is not None:
        lowered: dict[str, int] = {}
        for name, child in levels.living():
            wrong = new_name_fault(name, lowered)
            if wrong:
                reader.report(Fault("wrong-name", wrong, place=child.key_place))
                continue
            got = PLAN_KEYS["levels"].kind.value.read(child, reader)  # type: ignore[attr-defined]
            if got is not None:
                extra[name] = lowered[name.lower()] = got.value
    return Scale(extra)


class _Builder:
    """Turns the sections of a plan into its parts."""

    def __init__(self, reader: PlanReader, fields: dict[str, Any], name: str, folder: str) -> None:
        self.reader = reader
        self.fields = fields
        self.name = name
        self.separator: str = self._value("separator", ".")
        self.zone: str = self._value("zone", "UTC")
        self.folder = full_path(self._value("workdir", "."), folder)
        mask = fields.get("mask")
        self.mask = Mask(self._texts(mask, "names", fold=True), self._texts(mask, "patterns")) if mask else Mask()
        self.setting = Setting(clocks.zone(self.zone), self.separator, reader.scale, self.mask)
        self._check_mask(mask)

    def _value(self, key: str, default: Any) -> Any:
        got = self.fields.get(key)
        return default if got is None else got.value

    @staticmethod
    def _texts(section: Section, key: str, *, fold: bool = False) -> tuple[str, ...]:
        return tuple(fold_name(one.value) if fold else one.value for one in section[key] or ())

    def _check_mask(self, mask: Section | None) -> None:
        for one in (mask["patterns"] if mask else None) or ():
            self._expression(one)

    def plan(self) -> Plan:
        """Return the plan; faults go to the reader."""
        templates = {name: self._template(section, name) for name, section in (self.fields.get("templates") or {}).items()}
        appenders = {
            name: one
            for name, section in (self.fields.get("appenders") or {}).items()
            if (one := self._appender(name, section, templates)) is not None
        }
        named = self.fields.get("appenders") or {}
        loggers = {name: self._logger(name, section, named) for name, section in (self.fields.get("loggers") or {}).items()}
        deliver = self.fields.get("deliver")
        return Plan(
            name=self.name,
            scale=self.reader.scale,
            loggers=loggers,
            appenders=appenders,
            templates=templates,
            rules=self._rules(self.fields.get("rules"), VERDICTS),
            title=str(self.fields.get("title") or ""),
            separator=self.separator,
            zone=self.zone,
            workdir=self._value("workdir", "."),
            assume=self.fields.get("assume") or Sourced(9, DEFAULT, "info"),
            once=Sourced(deliver.value == "once", deliver.origin) if deliver else Sourced(value=False),
            mask=self.mask,
            waivers=self._waivers(self.fields.get("waive")),
            template_waivers={
                name: self._waivers(section["waive"]) for name, section in (self.fields.get("templates") or {}).items()
            },
            template_origins={
                name: _key_origin(section.held) for name, section in (self.fields.get("templates") or {}).items()
            },
            hidden=frozenset(self.reader.hidden),
            folder=self.folder,
        )

    def _waivers(self, sections: tuple[Section, ...] | None) -> tuple[Waiver, ...]:
        return tuple(
            Waiver(one["check"].value, one["why"].value, one.held.place)
            for one in sections or ()
            if one["check"] and one["why"]
        )

    def _logger(self, name: str, section: Section, appenders: dict[str, Any]) -> Logger:
        attachments = []
        for one in section["to"] or ():
            named = one["appender"]
            if named is None:
                continue
            if named.value not in appenders:
                self._undefined(named, appenders)
                continue
            attachments.append(
                Attachment(
                    named.value,
                    named.origin,
                    one["floor"] or Sourced(ALL),
                    one["ceiling"] or Sourced(OFF),
                    self._rules(one["rules"], VERDICTS[:2]),
                )
            )
        return Logger(
            name=name,
            origin=_key_origin(section.held),
            level=section["level"],
            to=tuple(attachments),
            climb=section["climb"] or Sourced(value=True),
            enabled=section["enabled"] or Sourced(value=True),
            note=str(section["note"] or ""),
            waivers=self._waivers(section["waive"]),
        )

    def _undefined(self, named: Sourced[str], appenders: dict[str, Any]) -> None:
        close = nearest(named.value, appenders)
        known = ", ".join(list(appenders)[:_NAMES_SHOWN]) or "none"
        self.reader.report(
            Fault(
                "undefined-appender", f'no appender is called "{named}"', f"defined here: {known}",
                f'did you mean "{close[0]}"?' if close else f'define "{named}" under appenders:', named.origin.place,
                "" if named.origin.place else named.origin.label,
            )
        )  # fmt: skip

    def _rules(self, sections: tuple[Section, ...] | None, verdicts: tuple[str, ...]) -> tuple[Rule, ...]:
        rules = []
        for one in sections or ():
            given = [verdict for verdict in ("drop", "keep", "lift") if verdict in one.fields]
            if len(given) != 1 or given[0] not in verdicts:
                self.reader.report(_verdict_fault(one, given, verdicts))
                continue
            condition = self._condition(one[given[0]])
            note = str(one["note"] or "")
            rules.append(Rule(given[0], condition, _key_origin(one.held), note))
        return tuple(rules)

    def _condition(self, section: Section) -> Condition:
        parts: list[Condition] = []
        for key, got in section.fields.items():
            if key in {"logger", "exactly"}:
                names = tuple(root_name(one.value) for one in got)
                parts.append(LoggerIs(names, key == "exactly", self.separator))
            elif key == "level":
                parts.append(LevelIs(got.value))
            elif key == "message":
                expression = self._expression(got)
                if expression is not None:
                    parts.append(MessageMatches(expression))
            elif key == "error":
                parts.append(ErrorIs(got.value))
            elif key == "field":
                parts += [ask for name, test in got.items() for ask in self._field(name, test)]
            elif key == "not":
                parts.append(Not(self._condition(got)))
            elif key == "any":
                parts.append(OneOf(tuple(self._condition(one) for one in got)))
        return parts[0] if len(parts) == 1 else All(tuple(parts))

    def _field(self, name: str, test: Any) -> list[FieldIs]:
        if not isinstance(test, Section):
            return [FieldIs(name, "is", test.value)]
        asked: list[FieldIs] = []
        if not test.fields:
            what = f'nothing is asked of the field "{name[:60]}": what was to be asked fills to nothing'
            self.reader.report(Fault("wrong-value", what, fix="give the value, or leave the field out", place=test.held.place))
        for operator, got in test.fields.items():
            if operator == "one-of":
                asked.append(FieldIs(name, operator, tuple(one.value for one in got)))
            elif operator == "matches":
                expression = self._expression(got)
                if expression is not None:
                    asked.append(FieldIs(name, operator, expression))
            elif operator in {"at-least", "at-most"}:
                value = got.value
                if isinstance(value, bool) or not isinstance(value, int | float):
                    self.reader.report(Fault("wrong-type", f'"{operator}" wants a number', place=test.held.place))
                    continue
                asked.append(FieldIs(name, operator, value))
            else:
                asked.append(FieldIs(name, operator, got.value))
        return asked

    def _expression(self, text: Sourced[str]) -> Expression | None:
        try:
            return Expression(text.value)
        except BadExpression as bad:
            self.reader.report(
                Fault(
                    "bad-expression", f'"{str(text)[:60]}" is not an RE2 expression: {bad}' if text.shown == text.value else "a hidden value is not an RE2 expression",
                    fix="look-around and back-references are not part of RE2", place=text.origin.place,
                    where="" if text.origin.place else text.origin.label,
                )
            )  # fmt: skip
            return None

    def _text(self, text: Sourced[str]) -> TextTemplate:
        try:
            return text_template(text.value, self.setting)
        except BadTemplate as bad:
            for fault in bad.faults:
                self._template_fault(text, fault)
        except BadExpression:
            pass  # told where the mask is read
        return text_template("", self.setting)

    def _template_fault(self, text: Sourced[str], fault: TemplateFault) -> None:
        place = text.origin.place
        if text.shown and text.shown != text.value:
            fault = TemplateFault(0, "a template with a hidden value in it cannot be read")
        spot = f" at character {fault.offset + 1} of the template"
        if place and "\n" not in text.value and text.shown == text.value:
            place = Place(place.file, place.line, place.column + fault.offset + (place in self.reader.quoted))
        self.reader.report(Fault("bad-template", fault.what + spot, fix=fault.fix, place=place,
                                 where="" if place else text.origin.label))  # fmt: skip

    def _template(self, section: Section, name: str = "") -> Template:
        form = section["as"].value if section["as"] else "text"
        allowed = {
            "text": {"text"},
            "json": {"members", "omit-empty"},
            "csv": {"columns", "header"},
            "syslog": {"text", "facility", "app", "sd-id"},
        }[form]
        for key, child in section.held.living():
            if key not in allowed | {"as", "ending", "waive"} and child.key is not None:
                self.reader.report(
                    unknown_key(child.key, [*sorted(allowed), "as", "ending", "waive"], f"a template as: {form}")
                )
        ending = section["ending"].value if section["ending"] else None
        common: dict[str, Any] = {"form": form, "setting": self.setting, "ending": ending, "name": name}
        if form == "json":
            texts: list[TextTemplate] = []
            given = section["members"]
            if given is None or not isinstance(given, dict):
                self._needs(section, "members")
                given = {}
            members = self._members(given, section, texts)
            omit = bool(section["omit-empty"] and section["omit-empty"].value)
            return JsonObjectForm(**common, texts=tuple(texts), members=members, omit_empty=omit)
        if form == "csv":
            columns = section["columns"] or {}
            if not columns:
                self._needs(section, "columns")
            header = bool(section["header"] and section["header"].value)
            return CsvRow(**common, texts=tuple(map(self._text, columns.values())), columns=tuple(columns), with_header=header)
        given_text = section["text"]
        if form == "syslog":
            text = self._text(given_text or Sourced("{message}"))
            facility = FACILITIES.index(section["facility"].value) if section["facility"] else 1
            sd_id = section["sd-id"].value if section["sd-id"] else "fields@32473"
            app = section["app"].value if section["app"] else ""
            return SyslogLine(**common, texts=(text,), facility=facility, app=app, sd_id=sd_id)
        if given_text is None:
            self._needs(section, "text")
        return PlainText(**common, texts=(self._text(given_text or Sourced("")),))

    def _needs(self, section: Section, key: str) -> None:
        form = section["as"].value if section["as"] else "text"
        if section.held.get(key) is None and not section.held.misspells(key):
            self.reader.report(Fault("missing-key", f'a template as: {form} needs "{key}"', place=section.held.key_place))

    def _members(self, given: dict[str, Any], section: Section, texts: list[TextTemplate]) -> Members:
        members: Members = {}
        for name, member in given.items():
            if not isinstance(member, dict):
                text = self._text(member)
                texts.append(text)
                members[name] = text
            elif set(member) == {"raw"} and isinstance(member["raw"], Sourced):
                raw = self._raw(member["raw"])
                if raw is not None:
                    members[name] = raw
            else:
                members[name] = self._members(member, section, texts)
        return members

    def _raw(self, source: Sourced[str]) -> RawMember | None:
        try:
            parts = parse("{" + source.value + "}")
        except BadTemplate as bad:
            self._template_fault(source, bad.faults[0])
            return None
        one = parts[0] if parts else ""
        if not isinstance(one, Placeholder) or len(parts) != 1 or one.steps:
            self._template_fault(source, TemplateFault(0, "raw wants one source, without steps"))
            return None
        wrong = source_fault(one)
        if wrong:
            self._template_fault(source, wrong)
            return None
        return RawMember(one.source, one.argument)

    def _appender(self, name: str, section: Section, templates: dict[str, Template]) -> Appender | None:
        kind_name = section["sink"]
        if kind_name is None:
            return None
        kind = KINDS[kind_name.value]
        common = {"sink", "enabled", "floor", "ceiling", "rules", "otherwise", "template", "buffer", "note", "waive"}
        own = set(kind.keys) | ({"roll"} if kind.traits.rolls else set())
        for key, child in section.held.living():
            if key not in common | own and child.key is not None:
                fault = unknown_key(child.key, sorted(common | own), f"an appender with sink: {kind.name}")
                self.reader.report(fault)
        for key, spec in kind.keys.items():
            if spec.required and section.held.get(key) is None and not section.held.misspells(key):
                what = f'sink {kind.name} needs "{key}"'
                self.reader.report(Fault("missing-key", what, spec.doc, f"add {key}:", section.held.key_place))
        sink = self._sink(kind.name, section)
        buffer = section["buffer"]
        return Appender(
            name=name,
            origin=_key_origin(section.held),
            sink=sink,
            template=self._appender_template(kind.name, section, templates),
            enabled=section["enabled"] or Sourced(value=True),
            floor=section["floor"] or Sourced(ALL),
            ceiling=section["ceiling"] or Sourced(OFF),
            rules=self._rules(section["rules"], VERDICTS[:2]),
            otherwise=section["otherwise"] or Sourced("keep"),
            template_origin=section["template"].origin if section["template"] else DEFAULT,
            buffer=_buffer(buffer) if buffer else None,
            roll=build_roll(section, self.zone, self.reader.report) if kind.traits.rolls else None,
            note=str(section["note"] or ""),
            waivers=self._waivers(section["waive"]),
        )

    def _sink(self, kind: str, section: Section) -> Sink:
        spec = KINDS[kind]
        for key in spec.templates:
            if section[key] is not None:
                self._text(section[key])
        keys = {key: section[key] for key in spec.keys if section[key] is not None}
        real = {key: _plain(got, shown=False) for key, got in keys.items()}
        shown = {key: _plain(got, shown=True) for key, got in keys.items()}
        address = None
        if spec.address is not None:
            try:
                address = spec.address(real)
            except ValueError:
                address = None  # a wrong URL is told where it stands
        return Sink(kind, keys, spec.place(real, self.folder), spec.label(shown), spec.traits, spec.receiver(real), address)

    def _appender_template(self, kind: str, section: Section, templates: dict[str, Template]) -> Template:
        given = section["template"]
        takes = KINDS[kind].takes
        if takes[0] == "columns":
            columns = section["columns"] or {}
            if given is not None:
                self.reader.report(Fault("wrong-value", f'"template" has no use with sink {kind}: its columns are its templates',
                                         fix="remove it", place=given.origin.place))  # fmt: skip
            return TableRow("columns", self.setting, "", tuple(map(self._text, columns.values())), columns=tuple(columns))
        if given is None:
            if takes == ("syslog",):
                return SyslogLine("syslog", self.setting, "", (text_template("{message}", self.setting),))
            return PlainText("text", self.setting, None, (text_template(DEFAULT_TEXT, self.setting),))
        template = templates.get(given.value)
        if template is None:
            if "{" not in given.value:
                self._undefined_template(given, templates)
                return PlainText("text", self.setting, None, (text_template("", self.setting),))
            template = PlainText("text", self.setting, None, (self._text(given),))
        if template.form not in takes:
            self.reader.report(
                Fault("wrong-value", f"sink {kind} takes a template as: {takes[0]}, and this one is as: {template.form}",
                      fix=f"give it a template with as: {takes[0]}", place=given.origin.place)
            )  # fmt: skip
        return template

    def _undefined_template(self, given: Sourced[str], templates: dict[str, Template]) -> None:
        close = nearest(given.value, templates)
        known = ", ".join(list(templates)[:_NAMES_SHOWN]) or "none"
        self.reader.report(
            Fault(
                "undefined-template", f'no template is called "{given}", and as a text it has no {{placeholder}}',
                f"defined here: {known}",
                f'did you mean "{close[0]}"?' if close else f'define "{given}" under templates:', given.origin.place,
                "" if given.origin.place else given.origin.label,
            )
        )  # fmt: skip


def _verdict_fault(rule: Section, given: Sequence[str], verdicts: tuple[str, ...]) -> Fault:
    words = ", ".join(verdicts)
    if given and given[0] not in verdicts:
        return Fault("wrong-value", f'"{given[0]}" is not a verdict here', "lift goes round the level gate, which is at the door",
                     f"use one of {words}", rule.held.place)  # fmt: skip
    what = "a rule has one verdict, and this one has " + (" and ".join(given) if given else "none")
    return Fault("wrong-value", what, fix=f"give it one of {words}, with {{}} for every event", place=rule.held.place)


def _plain(got: Any, *, shown: bool) -> str:
    if isinstance(got, tuple):
        return ", ".join(_plain(one, shown=shown) for one in got)
    if isinstance(got, dict):
        return ", ".join(f"{name}: {_plain(one, shown=shown)}" for name, one in got.items())
    return str(got) if shown else str(got.value)


def _key_origin(held: MergedNode) -> Origin:
    place = held.key.place if held.key is not None and held.key.source is held.node.source else held.place
    if held.layer.kind == "option":
        return Origin("option", None, held.layer.label)
    return Origin(held.layer.kind, place, held.layer.label)


def _buffer(section: Section) -> Buffer:
    events, age, at_once = section["events"], section["age"], section["at-once"]
    return Buffer(
        events.value if events else None,
        age.value if age else None,
        at_once.value if at_once else None,
        _key_origin(section.held),
    )
