"""Which loggers and fields some events have: what tells a name that nothing knows from one that only finds nothing."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct, field

from vetrina.core.base.events import MISSING, Event, look_up
from vetrina.core.base.levels import Scale
from vetrina.core.base.logger_names import below, tree_name
from vetrina.formats.sources import Source, SourceReader

MOST_EVENTS = 100_000
_MOST_NAMES = 10_000


class AskedName(Struct, frozen=True):
    """A logger, or with ``is_field`` a field, that ``option`` names."""

    option: str
    name: str
    is_field: bool = False

    def met_by(self, event: Event, separator: str) -> bool:
        """Tell whether an event is of that logger or below it, or has that field."""
        if self.is_field:
            return look_up(event.fields, self.name) is not MISSING
        return below(tree_name(event.logger), self.name, separator)


class KnownNames(Struct):
    """The loggers and fields of the events that were looked at; ``whole`` tells that these were all, ``unmet`` which asked names none has."""

    unmet: list[AskedName]
    loggers: dict[str, None] = field(default_factory=dict)
    fields: dict[str, None] = field(default_factory=dict)
    events: int = 0
    whole: bool = True

    def take(self, event: Event, separator: str) -> None:
        """Take an event."""
        self.events += 1
        self.unmet = [one for one in self.unmet if not one.met_by(event, separator)]
        if len(self.loggers) < _MOST_NAMES:
            self.loggers[tree_name(event.logger)] = None
        if event.fields and len(self.fields) < _MOST_NAMES:
            self.fields.update(dict.fromkeys(_names(event.fields)))


def _names(fields: dict[str, object], lead: str = "") -> Iterator[str]:
    for name, value in fields.items():
        yield lead + name
        if isinstance(value, dict):
            yield from _names(value, f"{lead}{name}.")


def known_names(asked: Iterable[AskedName], sources: Sequence[Source], scale: Scale, separator: str) -> KnownNames:
    """Look through sources, in order, until all asked names are met, or 100,000 events are looked at."""
    found = KnownNames([*asked])
    for at, one in enumerate(sources):
        for entry in SourceReader(one, at, scale).entries(None, every=True):
            if not found.unmet:
                return found
            if found.events == MOST_EVENTS:
                found.whole = False
                return found
            found.take(entry.event, separator)
    return found
