"""How an appender's events are measured and rendered, ending included."""

from __future__ import annotations

from vetrina.core.base.events import Event
from vetrina.core.plan.model import Appender
from vetrina.core.templates.compiling import MakeMeasure, MakeRender, Measure, Render


def ending_of(appender: Appender) -> str:
    """Return what follows each event in an appender's sink."""
    if appender.template.ending is None and appender.sink.traits.framed:
        return ""
    return appender.template.own_ending()


def to_bytes(text: str, encoding: str) -> bytes:
    """Return a text in a sink's encoding; what that cannot hold is written as a backslash escape."""
    return text.encode(encoding, "backslashreplace")


def measures(appender: Appender) -> MakeMeasure:
    """Return the function from an event to what measures those of its logger and level.

    That is the function from (event, number) to the bytes that the appender writes for it.
    """
    ending, encoding = ending_of(appender), appender.encoding
    if encoding == "utf-8":
        return appender.template.compile_length(ending)
    render = appender.template.compile(ending)
    measure: Measure = lambda event, number: len(to_bytes(render(event, number), encoding))  # noqa: E731  (one for all)
    return lambda _event: measure


class Renders:
    """How an appender's events are rendered, compiled when that is first asked for."""

    __slots__ = ("_appender", "_make")

    def __init__(self, appender: Appender) -> None:
        self._appender = appender
        self._make: MakeRender | None = None

    def of(self, event: Event) -> Render:
        """Return the function from (event, number) to what is written, for events of this one's logger and level."""
        if self._make is None:
            self._make = self._appender.template.compile_for(ending_of(self._appender))
        return self._make(event)

    def of_any(self) -> Render:
        """Return the function from (event, number) to what is written, for events of any logger and level."""
        return self._appender.template.compile(ending_of(self._appender))


def of_any(make: MakeMeasure) -> Measure:
    """Return what measures events of any logger and level."""
    return lambda event, number: make(event)(event, number)
