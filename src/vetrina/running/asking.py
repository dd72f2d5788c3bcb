"""A service's levels: all of them or one, in its own words; set, cleared; a mark written. By the plan's names of loggers."""

from __future__ import annotations

from collections.abc import Iterable

from vetrina.core.base.errors import VetrinaError
from vetrina.core.services.levels_now import LevelNow
from vetrina.core.services.service import Service
from vetrina.core.services.words import Words
from vetrina.formats.answers import WrongAnswer, level_read, levels_listed
from vetrina.running.talking import NoAnswer, Talker

NOT_FOUND = 404


class Unanswered(VetrinaError):
    """A service did not answer, or not as its file says; the message is a clause that names the step."""


class Asked:
    """A service that is asked and told things; ``close`` ends it."""

    def __init__(self, service: Service, words: Words) -> None:
        self.service, self.words = service, words
        self._talker = Talker(service)
        self._names: dict[str, str] = {}

    def close(self) -> None:
        """End what is open."""
        self._talker.close()

    @property
    def sets(self) -> bool:
        """Whether levels can be set."""
        return "set" in self.service.steps

    @property
    def clears(self) -> bool:
        """Whether a level can be taken away."""
        return "clear" in self.service.steps

    @property
    def marks(self) -> bool:
        """Whether a line can be written into its log."""
        return "mark" in self.service.steps

    @property
    def lists(self) -> bool:
        """Whether all levels can be asked for at once."""
        return "list" in self.service.steps

    def levels(self, wanted: Iterable[str]) -> dict[str, LevelNow]:
        """Return the levels by the plan's names: all that the service lists, else those of the ``wanted`` that it knows."""
        if not self.lists:
            return {name: now for name in dict.fromkeys(wanted) if (now := self.level(name)) is not None}
        step = self.service.steps["list"]
        try:
            listed = levels_listed(step, self._talker.ask("list").data)
        except (NoAnswer, WrongAnswer) as error:
            raise _unanswered("list", error) from None
        found: dict[str, LevelNow] = {}
        for one in listed:
            name = self.words.planned(one.name)
            if found.setdefault(name, one) != one:
                what = "names a logger twice, with different levels" if found[name].name == one.name else (
                    "names two loggers that are one in the plan's separator: the separator in its file may be wrong"
                )  # fmt: skip
                raise Unanswered(f"the answer to list cannot be read: it {what}")
        self._names = {name: one.name for name, one in found.items()}
        return found

    def level(self, logger: str) -> LevelNow | None:
        """Return one logger's levels, None where the service does not know it."""
        if "read" not in self.service.steps:
            return self.levels(()).get(logger)
        step = self.service.steps["read"]
        name = self.words.own(logger, self._names)
        try:
            return level_read(step, self._talker.ask("read", {"logger": name}).data, name)
        except NoAnswer as error:
            if error.status == NOT_FOUND:
                return None
            raise _unanswered("read", error) from None
        except WrongAnswer as error:
            raise _unanswered("read", error) from None

    def set(self, logger: str, word: str) -> None:
        """Set a logger's level, by the service's own word."""
        self._tell("set", {"logger": self.words.own(logger, self._names), "level": word})

    def clear(self, logger: str) -> None:
        """Take a logger's level away, so that it inherits."""
        self._tell("clear", {"logger": self.words.own(logger, self._names)})

    def mark(self, text: str) -> None:
        """Write a line into the service's log."""
        self._tell("mark", {"text": text})

    def _tell(self, name: str, values: dict[str, str]) -> None:
        if name not in self.service.steps:
            raise Unanswered(f"the service's file has no {name} step any more")
        try:
            self._talker.ask(name, values)
        except NoAnswer as error:
            raise _unanswered(name, error) from None


def _unanswered(name: str, error: NoAnswer | WrongAnswer) -> Unanswered:
    if isinstance(error, WrongAnswer):
        return Unanswered(f"the answer to {name} cannot be read: {error}")
    return Unanswered(f"no answer to {name}: {error}")
