"""A program's source surveyed: its statements, what was skipped, and what a plan and events say of them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial

from msgspec import Struct, field

from vetrina.core.base.faults import refuse
from vetrina.core.base.levels import Scale
from vetrina.core.plan.model import Plan
from vetrina.core.survey.arriving import Arrival, Unspoken, arrivals, unspoken
from vetrina.core.survey.matching import Matcher, Unexplained
from vetrina.core.survey.statements import Statement
from vetrina.core.survey.words import LevelWords
from vetrina.formats.programs.walking import Skipped, survey
from vetrina.work.recording import Recording


class Surveyed(Struct):
    """What a survey found. ``arrivals`` are there with a plan, ``seen`` (by the statement's place) and ``unexplained`` with events."""

    statements: list[Statement]
    files: int = 0
    lines: int = 0
    skipped: list[Skipped] = field(default_factory=list)
    arrivals: list[Arrival] | None = None
    unspoken: list[Unspoken] | None = None
    seen: dict[int, int] | None = None
    unexplained: list[Unexplained] | None = None

    @property
    def unsure(self) -> int:
        """Return how many statements have a logger or a level that only the run shows."""
        return sum(not one.sure for one in self.statements)


def surveyed(
    sources: Iterable[str],
    scale: Scale,
    further: Mapping[str, str],
    separator: str = ".",
    tell: Callable[[int], None] = lambda _count: None,
) -> Surveyed:
    """Return the statements of a program's source, by file and line; ``further`` are words for levels besides the plan's.

    Raise Refused for a level that is not known, and for a language whose grammar is not installed.
    """
    for word, level in further.items():
        if scale.severity(level) is None:
            raise refuse(f'level "{level[:60]}" is not known{scale.hint(level)}', where=f"--level-word {word}={level}")
    words = LevelWords(scale, {word: scale.name(scale.severity(level) or 0) for word, level in further.items()})
    try:
        found = survey(sources, words, separator, tell)
    except ImportError as error:
        raise refuse(
            f"reading this source needs {str(error.name).replace('_', '-')}, which is not installed",
            "only Python is read without",
            "pip install 'vetrina[survey]'",
            where="survey",
        ) from None
    return Surveyed(found.statements, found.files, found.lines, found.skipped)


def held_against_plan(found: Surveyed, plan: Plan) -> None:
    """Add where each statement would arrive, and which loggers of the plan none of them uses."""
    found.arrivals = arrivals(found.statements, plan)
    found.unspoken = unspoken(found.statements, plan)


def held_against_events(found: Surveyed, recording: Recording, scale: Scale) -> None:
    """Add which statements were seen, and which events no statement explains."""
    statements: Sequence[Statement] = tuple(found.statements)
    matcher = recording.gather(scale, partial(_matcher, statements, scale))
    found.seen, found.unexplained = matcher.found.seen, matcher.unexplained()


def _matcher(statements: Sequence[Statement], scale: Scale, number: int) -> Matcher:
    del number
    return Matcher(statements, scale)
