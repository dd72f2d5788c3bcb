"""What is asked of events: all of it must hold. It is compiled once, and settled by (logger, level) where that is enough."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from msgspec import Struct

from vetrina.core.base.events import Event, error_text, filled
from vetrina.core.base.expressions import Expression
from vetrina.core.base.levels import LevelRange, Scale, Severities
from vetrina.core.base.logger_names import tree_name
from vetrina.core.base.memo import Memo
from vetrina.core.finding.journeys import Shared
from vetrina.core.plan.conditions import All, Condition, ErrorIs, FieldIs, LevelIs, LoggerIs, MessageMatches, Not, holds, reduce

Meets = Callable[[Event], bool]


class Asked(Struct, frozen=True):
    """The conditions of a search; everything given must hold.

    ``texts`` are literals in the filled message, or in the error as a template's `{error}` shows it; with
    ``ignore_case`` they, and ``messages``, are compared without regard to case (by RE2's simple folding).
    ``shared`` is where the value of a journey stands, ``shared_value`` the one that is wanted, None for any.
    ``since`` is the first time that counts, ``until`` the first that does not: by an event's own time.
    """

    loggers: tuple[str, ...] = ()
    not_loggers: tuple[str, ...] = ()
    levels: LevelRange | None = None
    messages: tuple[Expression, ...] = ()
    texts: tuple[str, ...] = ()
    ignore_case: bool = False
    thread: str | None = None
    fields: tuple[tuple[str, object], ...] = ()
    error: bool | None = None
    keep: tuple[Condition, ...] = ()
    drop: tuple[Condition, ...] = ()
    since: datetime | None = None
    until: datetime | None = None
    separator: str = "."
    shared: Shared | None = None
    shared_value: str | None = None

    def condition(self) -> Condition:
        """Return what can be said as the condition of a rule."""
        parts: list[Condition] = []
        if self.loggers:
            parts.append(LoggerIs(self.loggers, False, self.separator))
        if self.not_loggers:
            parts.append(Not(LoggerIs(self.not_loggers, False, self.separator)))
        if self.levels is not None:
            parts.append(LevelIs(self.levels))
        if self.error is not None:
            parts.append(ErrorIs(self.error))
        parts += [FieldIs(name, "is", value) for name, value in self.fields]
        parts += self.keep
        parts += [Not(one) for one in self.drop]
        parts += [MessageMatches(one) for one in self.messages]
        return All(tuple(parts))

    def compiled(self, scale: Scale) -> Meets | None:
        """Return the function that tells whether an event meets all of it, None where nothing is asked."""
        if self == Asked(ignore_case=self.ignore_case, separator=self.separator):
            return None
        settled = _Settled(self.condition(), scale)
        further = [*self._times(), *self._texts(), *self._thread(), *self._journeys()]
        if not further:
            return settled.meets
        if len(further) == 1:
            (only,) = further
            return lambda event: only(event) and settled.meets(event)
        return lambda event: all(one(event) for one in further) and settled.meets(event)

    def _times(self) -> list[Meets]:
        since, until = self.since, self.until
        found: list[Meets] = []
        if since is not None:
            found.append(lambda event: event.time >= since)
        if until is not None:
            found.append(lambda event: event.time < until)
        return found

    def _texts(self) -> list[Meets]:
        if self.ignore_case:
            return [_folded(text) for text in self.texts]
        return [_literal(text) for text in self.texts]

    def _thread(self) -> list[Meets]:
        wanted = self.thread
        return [] if wanted is None else [lambda event: event.thread is not None and str(event.thread) == wanted]

    def _journeys(self) -> list[Meets]:
        if self.shared is None:
            return []
        value, wanted = self.shared.value, self.shared_value
        if wanted is None:
            return [lambda event: value(event) is not None]
        return [lambda event: value(event) == wanted]


class _Settled:
    """A condition, reduced once for each logger and level."""

    def __init__(self, condition: Condition, scale: Scale) -> None:
        severities = Severities(scale)
        self._left: Memo[tuple[str, object], Condition | bool] = Memo(
            lambda key: reduce(condition, tree_name(key[0]), severities[key[1]])
        )

    def meets(self, event: Event) -> bool:
        """Tell whether an event meets the condition."""
        left = self._left[event.logger, event.level]
        return left if isinstance(left, bool) else holds(left, event)


def _literal(text: str) -> Meets:
    def there(event: Event) -> bool:
        return text in filled(event) or (event.error is not None and text in error_text(event))

    return there


def without_case(text: str) -> Expression:
    """Return the expression of a literal without regard to case."""
    return Expression("(?i)" + quoted(text))


def quoted(text: str) -> str:
    """Return an RE2 expression, of ASCII alone, that stands for a text as it is."""
    return "".join(sign if sign.isalnum() and sign.isascii() else f"\\x{{{ord(sign):x}}}" for sign in text)


def _folded(text: str) -> Meets:
    found_in = without_case(text).found_in

    def there(event: Event) -> bool:
        return found_in(filled(event)) or (event.error is not None and found_in(error_text(event)))

    return there


def literally(text: str) -> Expression:
    """Return the expression of a literal."""
    return Expression(quoted(text))
