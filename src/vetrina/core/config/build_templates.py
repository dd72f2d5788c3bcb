"""Templates built of what a plan says: texts, JSON objects, rows, syslog messages."""

from __future__ import annotations

from typing import Any

from vetrina.core.base.expressions import BadExpression
from vetrina.core.base.faults import Fault, Place
from vetrina.core.base.origins import Sourced
from vetrina.core.config.grammar import FACILITIES
from vetrina.core.config.reading import PlanReader
from vetrina.core.config.sections import MemberKeys, TemplateKeys
from vetrina.core.schema.containers import unknown_key
from vetrina.core.templates.compiling import Setting, TextTemplate, text_template
from vetrina.core.templates.forms import CsvRow, JsonObjectForm, Members, PlainText, RawMember, SyslogLine, Template
from vetrina.core.templates.language import BadTemplate, Placeholder, TemplateFault, parse
from vetrina.core.templates.sources import source_fault

_ALLOWED = {
    "text": {"text"},
    "json": {"members", "omit-empty"},
    "csv": {"columns", "header"},
    "syslog": {"text", "facility", "app", "sd-id"},
}


class TemplateBuilder:
    """Turns the templates of a plan into ones that can be compiled; faults go to the reader."""

    def __init__(self, reader: PlanReader, setting: Setting) -> None:
        self._reader, self.setting = reader, setting

    def text(self, text: Sourced[str]) -> TextTemplate:
        """Return a text template; every fault in it is told."""
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
            place = Place(place.file, place.line, place.column + fault.offset + (place in self._reader.quoted))
        self._reader.report(Fault("bad-template", fault.what + spot, fix=fault.fix, place=place,
                                 where="" if place else text.origin.label))  # fmt: skip

    def template(self, section: TemplateKeys, name: str) -> Template:
        """Return a template that stands under a name."""
        form = section.as_.value if section.as_ else "text"
        allowed = _ALLOWED[form]
        for key, child in section.held.living():
            if key not in allowed | {"as", "ending", "waive"} and child.key is not None:
                known = [*sorted(allowed), "as", "ending", "waive"]
                self._reader.report(unknown_key(child.key, known, f"a template as: {form}"))
        ending = section.ending.value if section.ending else None
        common: dict[str, Any] = {"form": form, "setting": self.setting, "ending": ending, "name": name}
        if form == "json":
            return self._json(section, common)
        if form == "csv":
            columns = section.columns or {}
            if not columns:
                self._needs(section, "columns")
            header = bool(section.header and section.header.value)
            return CsvRow(**common, texts=tuple(map(self.text, columns.values())), columns=tuple(columns), with_header=header)
        if form == "syslog":
            return self._syslog(section, common)
        if section.text is None:
            self._needs(section, "text")
        return PlainText(**common, texts=(self.text(section.text or Sourced("")),))

    def _syslog(self, section: TemplateKeys, common: dict[str, Any]) -> SyslogLine:
        text = self.text(section.text or Sourced("{message}"))
        facility = FACILITIES.index(section.facility.value) if section.facility else 1
        sd_id = section.sd_id.value if section.sd_id else "fields@32473"
        app = section.app.value if section.app else ""
        return SyslogLine(**common, texts=(text,), facility=facility, app=app, sd_id=sd_id)

    def _json(self, section: TemplateKeys, common: dict[str, Any]) -> JsonObjectForm:
        texts: list[TextTemplate] = []
        given = section.members
        if given is None or not isinstance(given, dict):
            self._needs(section, "members")
            given = {}
        members = self._members(given, texts)
        omit = bool(section.omit_empty and section.omit_empty.value)
        return JsonObjectForm(**common, texts=tuple(texts), members=members, omit_empty=omit)

    def _needs(self, section: TemplateKeys, key: str) -> None:
        form = section.as_.value if section.as_ else "text"
        if section.held.get(key) is None and not section.held.misspells(key):
            self._reader.report(Fault("missing-key", f'a template as: {form} needs "{key}"', place=section.held.key_place))

    def _members(self, given: MemberKeys, texts: list[TextTemplate]) -> Members:
        members: Members = {}
        for name, member in given.items():
            source = member.get("raw") if isinstance(member, dict) and len(member) == 1 else None
            if not isinstance(member, dict):
                text = self.text(member)
                texts.append(text)
                members[name] = text
            elif isinstance(source, Sourced):
                raw = self._raw(source)
                if raw is not None:
                    members[name] = raw
            else:
                members[name] = self._members(member, texts)
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
