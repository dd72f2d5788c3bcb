"""From what is held (layers merged) to a Plan: filled, typed, and held against itself.

Here: faults of meaning that need the whole plan (an undefined appender or template). Not here: single values
(schema/kinds.py), rules, templates and policies of rolling, which are built by modules of their own.
"""

from __future__ import annotations

from collections.abc import Collection

from vetrina.core.base import clocks
from vetrina.core.base.faults import Fault, nearest
from vetrina.core.base.levels import ALL, OFF, Scale, new_name_fault
from vetrina.core.base.origins import DEFAULT, Sourced
from vetrina.core.base.secrets import fold_name
from vetrina.core.config.build_files import build_roll
from vetrina.core.config.build_rules import RuleBuilder
from vetrina.core.config.build_rush import RushBuilder, build_channel
from vetrina.core.config.build_templates import TemplateBuilder
from vetrina.core.config.grammar import COMMON, LEVEL_NAMES, PLAN_KEYS, VERDICTS
from vetrina.core.config.placeholders import Filler
from vetrina.core.config.reading import PlanReader, key_origin, waivers_of, with_values
from vetrina.core.config.sections import AppenderKeys, BufferKeys, LoggerKeys, MaskKeys, PlanKeys, SinkValue
from vetrina.core.plan.model import Appender, Attachment, Buffer, Logger, Plan, Sink
from vetrina.core.schema.containers import attribute, unknown_key
from vetrina.core.schema.held import MergedNode
from vetrina.core.sink_kinds import KINDS
from vetrina.core.sink_kinds.kind import SinkKind, full_path
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.core.templates.forms import DEFAULT_TEXT, PlainText, SyslogLine, TableRow, Template
from vetrina.core.templates.masking import Mask

_NAMES_SHOWN = 12
_BEFORE = {"levels", "values", "vetrina", "$schema"}
"""Keys of a plan that all others stand on, or that say nothing about it."""


def build(held: MergedNode, filler: Filler, name: str, folder: str) -> tuple[Plan | None, list[Fault]]:
    """Return the plan that ``held`` means and every fault of meaning in it; the plan is None when it has any.

    ``folder`` is where relative paths start unless the plan's ``workdir`` says otherwise.
    """
    reader = PlanReader(filler)
    reader.scale = _scale(held, reader)
    read = {key: PLAN_KEYS[key].kind.read(child, reader) for key, child in held.living() if key not in {"levels", "values"}}
    keys = PlanKeys(held=held, **{attribute(key): got for key, got in read.items() if key not in _BEFORE})
    plan = _Builder(reader, keys, name, folder).plan()
    reader.faults += filler.unused_faults()
    return (None if reader.faults else plan), [with_values(fault, reader) for fault in reader.faults]


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
            got = LEVEL_NAMES.value.read(child, reader)
            if got is not None:
                extra[name] = lowered[name.lower()] = got.value
    return Scale(extra)


class _Builder:
    """Turns the sections of a plan into its parts."""

    def __init__(self, reader: PlanReader, keys: PlanKeys, name: str, folder: str) -> None:
        self.reader, self.keys, self.name = reader, keys, name
        self.separator = _text(keys.separator, ".")
        self.zone = _text(keys.zone, "UTC")
        self.folder = full_path(_text(keys.workdir, "."), folder)
        self.mask = _mask(keys.mask)
        self._rules = RuleBuilder(reader, self.separator)
        self._rush = RushBuilder(reader)
        self._templates = TemplateBuilder(reader, Setting(clocks.zone(self.zone), self.separator, reader.scale, self.mask))
        for one in (keys.mask.patterns if keys.mask else None) or ():
            self._rules.expression(one)

    def plan(self) -> Plan:
        """Return the plan; faults go to the reader."""
        keys, named = self.keys, self.keys.appenders or {}
        templates = {name: self._templates.template(section, name) for name, section in (keys.templates or {}).items()}
        appenders = {
            name: one for name, section in named.items() if (one := self._appender(name, section, templates)) is not None
        }
        return Plan(
            name=self.name,
            scale=self.reader.scale,
            loggers={name: self._logger(name, section, named) for name, section in (keys.loggers or {}).items()},
            appenders=appenders,
            templates=templates,
            channels={name: build_channel(name, section) for name, section in (keys.channels or {}).items()},
            rules=self._rules.rules(keys.rules, VERDICTS),
            title=str(keys.title or ""),
            separator=self.separator,
            zone=self.zone,
            workdir=_text(keys.workdir, "."),
            assume=keys.assume or Sourced(9, DEFAULT, "info"),
            once=Sourced(keys.deliver.value == "once", keys.deliver.origin) if keys.deliver else Sourced(value=False),
            mask=self.mask,
            waivers=waivers_of(keys.waive),
            template_waivers={name: waivers_of(section.waive) for name, section in (keys.templates or {}).items()},
            template_origins={name: key_origin(section.held) for name, section in (keys.templates or {}).items()},
            hidden=frozenset(self.reader.hidden),
            folder=self.folder,
        )

    def _logger(self, name: str, section: LoggerKeys, appenders: Collection[str]) -> Logger:
        attachments = []
        for one in section.to or ():
            named = one.appender
            if named is None:
                continue
            if named.value not in appenders:
                self._undefined(named, appenders)
                continue
            attachments.append(
                Attachment(
                    named.value,
                    named.origin,
                    one.floor or Sourced(ALL),
                    one.ceiling or Sourced(OFF),
                    self._rules.rules(one.rules, VERDICTS[:2]),
                )
            )
        return Logger(
            name=name,
            origin=key_origin(section.held),
            level=section.level,
            to=tuple(attachments),
            climb=section.climb or Sourced(value=True),
            enabled=section.enabled or Sourced(value=True),
            note=str(section.note or ""),
            waivers=waivers_of(section.waive),
        )

    def _undefined(self, named: Sourced[str], appenders: Collection[str]) -> None:
        what = f'no appender is called "{named}"'
        self._not_defined("undefined-appender", what, named, appenders, f'define "{named}" under appenders:')

    def _not_defined(self, code: str, what: str, named: Sourced[str], known: Collection[str], define: str) -> None:
        """Report a name that nothing defines, with those that are defined and the nearest."""
        close = nearest(named.value, known)
        names = ", ".join(list(known)[:_NAMES_SHOWN]) or "none"
        place = named.origin.place
        fix = f'did you mean "{close[0]}"?' if close else define
        self.reader.report(
            Fault(code, what, why=f"defined here: {names}", fix=fix, place=place, where="" if place else named.origin.label)
        )

    def _appender(self, name: str, section: AppenderKeys, templates: dict[str, Template]) -> Appender | None:
        if section.sink is None:
            return None
        kind = KINDS[section.sink.value]
        self._known_keys(kind, section)
        return Appender(
            name=name,
            origin=key_origin(section.held),
            sink=self._sink(kind, section.own),
            template=self._appender_template(kind, section, templates),
            enabled=section.enabled or Sourced(value=True),
            floor=section.floor or Sourced(ALL),
            ceiling=section.ceiling or Sourced(OFF),
            rules=self._rules.rules(section.rules, VERDICTS[:2]),
            otherwise=section.otherwise or Sourced("keep"),
            template_origin=section.template.origin if section.template else DEFAULT,
            **self._rush.gates(name, section),
            buffer=_buffer(section.buffer) if section.buffer else None,
            policy=build_roll(section, self.zone, self.reader.report) if kind.traits.rolls else None,
            note=str(section.note or ""),
            waivers=waivers_of(section.waive),
        )

    def _known_keys(self, kind: SinkKind, section: AppenderKeys) -> None:
        """Report keys that this kind of sink does not have, and those that it lacks."""
        known = set(COMMON) | set(kind.keys) | ({"roll"} if kind.traits.rolls else set())
        for key, child in section.held.living():
            if key not in known and child.key is not None:
                self.reader.report(unknown_key(child.key, sorted(known), f"an appender with sink: {kind.name}"))
        for key, spec in kind.keys.items():
            if spec.required and section.held.get(key) is None and not section.held.misspells(key):
                what = f'sink {kind.name} needs "{key}"'
                place = section.held.key_place
                self.reader.report(Fault("missing-key", what, why=spec.doc, fix=f"add {key}:", place=place))

    def _sink(self, kind: SinkKind, own: dict[str, SinkValue]) -> Sink:
        keys = {key: own[key] for key in kind.keys if key in own}
        for key in kind.templates:
            if isinstance(text := keys.get(key), Sourced):
                self._templates.text(text)
        real = {key: _plain(got, shown=False) for key, got in keys.items()}
        shown = {key: _plain(got, shown=True) for key, got in keys.items()}
        return Sink(
            kind.name, keys, kind.place(real, self.folder), kind.label(shown), kind.traits, kind.receiver(real),
            _address(kind, real),
        )  # fmt: skip

    def _appender_template(self, kind: SinkKind, section: AppenderKeys, templates: dict[str, Template]) -> Template:
        given, setting = section.template, self._templates.setting
        if kind.takes[0] == "columns":
            if given is not None:
                what = f'"template" has no use with sink {kind.name}: its columns are its templates'
                self.reader.report(Fault("wrong-value", what, fix="remove it", place=given.origin.place))
            columns = section.own.get("columns")
            texts = columns if isinstance(columns, dict) else {}
            return TableRow("columns", setting, "", tuple(map(self._templates.text, texts.values())), columns=tuple(texts))
        if given is None:
            if kind.takes == ("syslog",):
                return SyslogLine("syslog", setting, "", (text_template("{message}", setting),))
            return PlainText("text", setting, None, (text_template(DEFAULT_TEXT, setting),))
        template = templates.get(given.value)
        if template is None:
            if "{" not in given.value:
                what = f'no template is called "{given}", and as a text it has no {{placeholder}}'
                self._not_defined("undefined-template", what, given, templates, f'define "{given}" under templates:')
                return PlainText("text", setting, None, (text_template("", setting),))
            template = PlainText("text", setting, None, (self._templates.text(given),))
        if template.form not in kind.takes:
            what = f"sink {kind.name} takes a template as: {kind.takes[0]}, and this one is as: {template.form}"
            fix = f"give it a template with as: {kind.takes[0]}"
            self.reader.report(Fault("wrong-value", what, fix=fix, place=given.origin.place))
        return template


def _text(given: Sourced[str] | None, default: str) -> str:
    return default if given is None else given.value


def _mask(keys: MaskKeys | None) -> Mask:
    if keys is None:
        return Mask()
    return Mask(tuple(fold_name(one.value) for one in keys.names or ()), tuple(one.value for one in keys.patterns or ()))


def _plain(got: SinkValue, *, shown: bool) -> str:
    if isinstance(got, tuple):
        return ", ".join(_plain(one, shown=shown) for one in got)
    if isinstance(got, dict):
        return ", ".join(f"{name}: {_plain(one, shown=shown)}" for name, one in got.items())
    return str(got) if shown else str(got.value)


def _address(kind: SinkKind, keys: dict[str, str]) -> tuple[str, int] | None:
    """Return the host and port that a sink is reached at; a wrong URL, which is told where it stands, has none."""
    try:
        return kind.address(keys) if kind.address is not None else None
    except ValueError:
        return None


def _buffer(section: BufferKeys) -> Buffer:
    return Buffer(
        section.events.value if section.events else None,
        section.age.value if section.age else None,
        section.at_once.value if section.at_once else None,
        key_origin(section.held),
    )
