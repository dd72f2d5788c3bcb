"""Templates tried with awkward events: what they give, so that a check can see what breaks."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from functools import cached_property

from vetrina.core.base.events import Event
from vetrina.core.base.levels import HIGHEST, LOWEST
from vetrina.core.base.origins import Origin
from vetrina.core.checks._templates import in_use
from vetrina.core.checks.context import CheckContext
from vetrina.core.plan.samples import START, awkward
from vetrina.core.templates.forms import Template

HARMLESS = Event(START, 9, "ropeway.gate", "hello", {"a": 1}, thread="main")


class Try:
    """A template in use, with what it gives."""

    def __init__(self, template: Template, origin: Origin, subject: str, owners: list[str], events: list[Event]) -> None:
        self.template, self.origin, self.subject, self.owners = template, origin, subject, owners
        self.sources = template.sources()
        self._events = events

    @cached_property
    def _render(self) -> Callable[[Event, int], str]:
        return self.template.compile("")

    def render(self, event: Event) -> str:
        """Return the output for one event, without its ending."""
        return self._render(event, 1)

    def awkward(self) -> Iterator[tuple[Event, str]]:
        """Yield awkward events with their outputs."""
        return ((event, self.render(event)) for event in self._events)

    def literals(self) -> list[str]:
        """Return the literals between the placeholders of a text template."""
        if self.template.form != "text":
            return []
        parts = self.template.texts[0].parts
        return [part for part in parts[1:-1] if isinstance(part, str)] if parts and not isinstance(parts[0], str) else []


def awkward_events(scene: CheckContext) -> list[Event]:
    """Return the awkward events for a plan's loggers."""
    names = [name for name in list(scene.tree.entries)[:20] if name != "root"]
    return awkward(names or ["ropeway.gate"])


def levels_of_scale(scene: CheckContext) -> list[Event]:
    """Return one event for every severity that has a name."""
    named = [severity for severity in range(LOWEST, HIGHEST + 1) if not scene.level(severity).isdigit()]
    return [Event(START, severity, "ropeway", "") for severity in named]


def tries(scene: CheckContext) -> Iterator[Try]:
    """Yield every template in use, named or an appender's own."""
    events = awkward_events(scene)
    for template, origin, subject, owners in in_use(scene):
        yield Try(template, origin, subject, owners, events)


def short(text: str) -> str:
    """Return a text on one line, quoted, its control characters escaped, not too long."""
    shown = json.dumps(text[:110], ensure_ascii=False)
    return shown if len(text) <= 110 else shown[:-1] + '…"'
