"""What a call's --learn says: which recordings tell of what EVENTS lacks, and under which plan EVENTS was recorded."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from importlib.util import find_spec
from pathlib import Path
from typing import Annotated

import typer
from msgspec import Struct
from msgspec.structs import replace

from vetrina.commands import calling
from vetrina.commands.options import PlanOptions
from vetrina.core.base.faults import refuse
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.formats.inputs import inputs_of
from vetrina.work.foreseeing import Learned
from vetrina.work.recording import Recording

LearnOption = Annotated[
    list[str],
    typer.Option(
        "--learn",
        metavar="RECORDING",
        help="Estimate what EVENTS lacks from these events, where low levels were on; repeatable.",
    ),
]
RecordedUnderOption = Annotated[
    Path | None,
    typer.Option("--recorded-under", metavar="PLAN", help="For --learn: the plan under which EVENTS was recorded."),
]
RecordedStageOption = Annotated[
    list[str], typer.Option("--recorded-stage", metavar="NAME", help="For --learn: its stage; repeatable.")
]


class Wish(Struct, frozen=True):
    """What a call says of learning: from which recordings, and under which plan and stages EVENTS was recorded."""

    learn: list[str]
    under: Path | None
    stages: list[str]
    seed: int = 1

    @contextmanager
    def learned(
        self, given: PlanOptions, plan: Path, found: ResolvedPlan, *, changed: bool, strict: bool
    ) -> Iterator[Learned | None]:
        """Yield what is to be learned from, None without --learn; refuse what has no effect.

        EVENTS was recorded under the plan without the call's --set and --tune, which are the change, where nothing else is
        said; ``changed`` tells that there are any. ``found`` is the plan with them.
        """
        if not self.learn:
            given_besides = {"--recorded-under": self.under, "--recorded-stage": self.stages}
            for option in (name for name, value in given_besides.items() if value):
                raise refuse(f"{option} has no effect without --learn", fix="leave it out", where=option)
            yield None
            return
        if find_spec("numpy") is None:
            raise calling.missing_library("learning", "NumPy", "learn", "--learn")
        if not changed and self.under is None and not self.stages:
            raise refuse(
                "--learn has no effect here",
                "what the plan stops was not recorded, and it stops it still",
                "say what changes with --tune or --set, or under which plan EVENTS was recorded: --recorded-under, --recorded-stage",
                where="--learn",
            )
        recorded = self._recorded(given, plan)
        if recorded.plan.scale.extra != found.plan.scale.extra or recorded.plan.separator != found.plan.separator:
            raise refuse(
                "the plan under which EVENTS was recorded gives names another meaning",
                "its levels or its separator are others",
                "name one with the same levels and separator",
                where="--recorded-under",
            )
        with ExitStack() as stack:
            inputs = [stack.enter_context(calling.again_and_again(inputs_of(one))) for one in self.learn]
            recordings = tuple(Recording(one, strict=strict) for one in inputs)
            yield Learned(recordings, recorded.plan, self.seed)

    def _recorded(self, given: PlanOptions, plan: Path) -> ResolvedPlan:
        """Return the plan under which EVENTS was recorded."""
        if self.under is not None:
            return PlanOptions(stage=self.stages, env=given.env, env_file=given.env_file).read(self.under, quiet=True)
        return replace(given, stage=self.stages or given.stage, set_=[], tune=[]).read(plan, quiet=True)


def end_of(recording: Recording, learned: Learned | None) -> None:
    """Tell which lines of the recordings were not readable, and end with 1 if there were any."""
    for one in learned.recordings if learned is not None else ():
        calling.remark_bad_lines(one.name, one.unreadable, one.bad_lines)
    calling.end_of(recording)
    if learned is not None and any(one.unreadable for one in learned.recordings):
        raise typer.Exit(calling.Exit.WANTING)
