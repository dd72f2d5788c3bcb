"""A plan in force: what it says, resolved, typed and immutable, every value with its origin."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta
from typing import TYPE_CHECKING, Any

from msgspec import Struct, field
from msgspec.structs import replace

from vetrina.core.base.faults import Place
from vetrina.core.base.levels import ALL, OFF, Scale
from vetrina.core.base.origins import DEFAULT, Origin, Sourced
from vetrina.core.templates.masking import Mask

if TYPE_CHECKING:
    from vetrina.core.plan.conditions import Condition
    from vetrina.core.plan.rolling_policy import Roll
    from vetrina.core.plan.rush_policy import Channel, Limit, Queue, Recall
    from vetrina.core.templates.forms import Template


class Waiver(Struct, frozen=True):
    """A finding that is silenced: the check's code and the reason."""

    check: str
    why: str
    place: Place


class Rule(Struct, frozen=True):
    """One verdict (`drop`, `keep` or `lift`) for the events for which its condition holds."""

    verdict: str
    condition: Condition
    origin: Origin
    note: str = ""


class Attachment(Struct, frozen=True):
    """An appender named under a logger's `to`, with the attachment's own window and rules."""

    appender: str
    origin: Origin
    floor: Sourced[int] = Sourced(ALL)
    ceiling: Sourced[int] = Sourced(OFF)
    rules: tuple[Rule, ...] = ()


class Logger(Struct, frozen=True):
    """A configured logger; ``level`` is None where it is inherited."""

    name: str
    origin: Origin
    level: Sourced[int] | None = None
    to: tuple[Attachment, ...] = ()
    climb: Sourced[bool] = Sourced(value=True)
    enabled: Sourced[bool] = Sourced(value=True)
    note: str = ""
    waivers: tuple[Waiver, ...] = ()


class Buffer(Struct, frozen=True):
    """When waiting events are delivered; None where a limit is not given."""

    events: int | None
    age: timedelta | None
    at_once: int | None
    origin: Origin


class SinkTraits(Struct, frozen=True):
    """What a kind of sink is like, whatever its keys say.

    Attributes:
        file_key: The key whose text is the file on this machine that it writes; nothing where there is none.
        rolls: Whether its file can be rolled.
        folder: Where a rehearsal puts what it delivers, below its own folder; nothing where it delivers nothing.
        remote: Whether it sends to other machines.
        nowhere: Whether what is delivered is thrown away.
        lasting: Whether what is delivered stays where others can read it later.
        slow: Whether each delivery waits for another program.
        summons: Whether each delivery calls somebody.
        lines: Whether it is one stream of text in which every event must end its line.
        parsed: Whether other programs usually take its text apart, line by line.
        framed: Whether each event travels in a frame of its own, and needs no ending.
        grouped: Whether a group of events is delivered as one thing.
        shared: Whether appenders at one place write to one thing in turn.
    """

    file_key: str = ""
    rolls: bool = False
    folder: str = ""
    remote: bool = False
    nowhere: bool = False
    lasting: bool = False
    slow: bool = False
    summons: bool = False
    lines: bool = False
    parsed: bool = False
    framed: bool = False
    grouped: bool = False
    shared: bool = False


class Sink(Struct, frozen=True):
    """Where an appender writes: its kind, its keys with origins, its place (equal for two at one sink), its label.

    ``receiver`` is the protocol of what takes its deliveries elsewhere, ``address`` the host and port to ask for it.
    """

    kind: str
    keys: dict[str, Any]
    place: str
    label: str
    traits: SinkTraits = SinkTraits()
    receiver: str = ""
    address: tuple[str, int] | None = None

    @property
    def title(self) -> str:
        """The sink for people, as `file logs/drive.log`."""
        return f"{self.kind} {self.label}".strip()

    @property
    def file(self) -> str:
        """The file on this machine that it writes, as the plan has it; nothing for none."""
        return self.text(self.traits.file_key) if self.traits.file_key else ""

    def text(self, name: str, default: str = "") -> str:
        """Return a key's text, with secrets in it."""
        found = self.keys.get(name)
        return default if found is None else str(found.value)


class Appender(Struct, frozen=True):
    """A named delivery: its window, its rules, its template and its sink."""

    name: str
    origin: Origin
    sink: Sink
    template: Template
    enabled: Sourced[bool] = Sourced(value=True)
    floor: Sourced[int] = Sourced(ALL)
    ceiling: Sourced[int] = Sourced(OFF)
    rules: tuple[Rule, ...] = ()
    otherwise: Sourced[str] = Sourced("keep")
    template_origin: Origin = DEFAULT
    limit: Limit | None = None
    recall: Recall | None = None
    queue: Queue | None = None
    buffer: Buffer | None = None
    policy: Roll | None = None
    note: str = ""
    waivers: tuple[Waiver, ...] = ()

    @property
    def remembers(self) -> bool:
        """Tell whether what becomes of an event here depends on those that came before: it has a limit, a recall or a queue."""
        return self.limit is not None or self.recall is not None or self.queue is not None

    @property
    def rolls(self) -> bool:
        """Tell whether it writes a file that rolls."""
        return self.sink.traits.rolls and self.roll.rolls

    @property
    def place(self) -> str:
        """Return where it writes: equal for two appenders whose deliveries meet in one thing. Nowhere is no such thing."""
        return f"{self.sink.place} {self.name}" if self.sink.traits.nowhere else self.sink.place

    @property
    def roll(self) -> Roll:
        """The policy of a file appender; raise TypeError for one whose sink is no file."""
        if self.policy is None:
            message = f"{self.name} is no file appender"
            raise TypeError(message)
        return self.policy

    @property
    def where(self) -> str:
        """Return the sink for people, as `file logs/drive.log`."""
        return self.sink.title

    @property
    def encoding(self) -> str:
        """Return how the sink's text becomes bytes."""
        return self.sink.text("encoding", "utf-8")


class Plan(Struct, frozen=True):
    """The plan in force; loggers and appenders in the order in which they were written, disabled loggers included.

    ``hidden`` are the values from outside that must not be shown; ``folder`` is what relative sink paths start from.
    """

    name: str
    scale: Scale
    loggers: dict[str, Logger]
    appenders: dict[str, Appender]
    templates: dict[str, Template]
    channels: dict[str, Channel] = field(default_factory=dict)
    rules: tuple[Rule, ...] = ()
    title: str = ""
    separator: str = "."
    zone: str = "UTC"
    workdir: str = "."
    assume: Sourced[int] = Sourced(9)
    once: Sourced[bool] = Sourced(value=False)
    mask: Mask = Mask()
    waivers: tuple[Waiver, ...] = ()
    template_waivers: dict[str, tuple[Waiver, ...]] = field(default_factory=dict)
    template_origins: dict[str, Origin] = field(default_factory=dict)
    hidden: frozenset[str] = frozenset()
    folder: str = "."

    def at_one_place(self, appenders: Iterable[str]) -> list[list[str]]:
        """Return the given appenders by the place that they write to, in order, repeats included."""
        places: dict[str, list[str]] = {}
        for name in appenders:
            places.setdefault(self.appenders[name].place, []).append(name)
        return list(places.values())

    @property
    def remembers(self) -> bool:
        """Tell whether an enabled appender has a limit, a recall or a queue, so that events are decided in their order."""
        return any(one.remembers and one.enabled.value for one in self.appenders.values())

    def without_memory(self) -> Plan:
        """Return the same plan without limits, recalls and queues: each event by itself."""
        if not any(one.remembers for one in self.appenders.values()):
            return self
        bare = {name: replace(one, limit=None, recall=None, queue=None) for name, one in self.appenders.items()}
        return replace(self, appenders=bare)

    @property
    def secrets(self) -> bool:
        """Tell whether values from outside that look like credentials stand in the plan."""
        return bool(self.hidden)
