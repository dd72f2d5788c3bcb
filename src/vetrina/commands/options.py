"""What a plan is read with: declared once, added to every command that reads one."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterable
from functools import wraps
from pathlib import Path
from typing import Annotated, Any, get_type_hints

import typer
from msgspec import Struct

from vetrina.commands import calling, completing, unknown_names
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.formats.plans import read_resolved_plan
from vetrina.views.notes import document_notes

PlanArgument = Annotated[
    Path, typer.Argument(metavar="PLAN", help="The plan: a YAML or JSON file.", show_default=False, readable=False)
]
EventsArgument = Annotated[
    str,
    typer.Argument(
        metavar="EVENTS",
        help="Events as JSON Lines, also compressed: a file, a folder, a quoted pattern, or - for standard input.",
        show_default=False,
    ),
]
AlsoOption = Annotated[
    list[str], typer.Option("--also", metavar="EVENTS", help="Read these as well, after the others; repeatable.")
]
ScaleOption = Annotated[
    float, typer.Option("--scale", metavar="X", min=0, max=1_000_000, help="The same events, X times as many.")
]
RateOption = Annotated[
    list[str], typer.Option("--rate", metavar="STREAM", help="Add 'LOGGER LEVEL N/second|minute|hour|day [BYTES]'.")
]
RepeatOption = Annotated[
    int, typer.Option("--repeat", metavar="N", min=1, help="The events N times over, shifted by whole days.")
]
SeedOption = Annotated[
    int | None, typer.Option("--seed", metavar="S", min=0, help="What is drawn is drawn from this; 1 without it.")
]
JsonOption = Annotated[bool, typer.Option("--json", help="Print one JSON document (its schema: vetrina schema output).")]
WideOption = Annotated[bool, typer.Option("--wide", help="Everything whole, however long the lines become.")]
StrictOption = Annotated[bool, typer.Option("--strict", help="Stop at the first line that is not an event.")]
WorkersOption = Annotated[
    str,
    typer.Option(
        "--workers", metavar="N|auto", help="Read with so many processes; auto: one for each core, from 32 MB of events on."
    ),
]
ClusterOption = Annotated[
    str,
    typer.Option("--cluster", metavar="ADDRESS", help="Read on a Dask cluster: tcp://HOST:PORT, or local:N to start one here."),
]
LoggerOption = Annotated[
    str,
    typer.Option("--logger", autocompletion=completing.loggers, metavar="L", help="Only events of this logger and below it."),
]
LevelOption = Annotated[
    str, typer.Option("--level", metavar="RANGE", help="Only these levels: warn.., ..info, debug..warn, or one.")
]
PageOption = Annotated[
    Path | None, typer.Option("--page", metavar="FILE.html", help="Write a page to hand over: it opens in any browser.")
]
TuneChange = Annotated[
    list[str],
    typer.Option("--tune", autocompletion=completing.tunes, metavar="LOGGER=LEVEL", help="The change: a logger's level."),
]
_DECLARED = {
    "by": Annotated[
        str,
        typer.Option(
            "--by", metavar="MAPPING", help="Read a document in another format through this mapping; - takes none beside it."
        ),
    ],
    "stage": Annotated[
        list[str],
        typer.Option(
            "--stage", autocompletion=completing.stages, metavar="NAME", help="Lay this stage over the plan; repeatable."
        ),
    ],
    "with_": Annotated[list[Path], typer.Option("--with", metavar="FILE", help="Lay this partial plan over it; repeatable.")],
    "env": Annotated[list[str], typer.Option("--env", metavar="NAME=VALUE", help="A value for placeholders; repeatable.")],
    "env_file": Annotated[
        list[Path], typer.Option("--env-file", metavar="FILE", help="Values for placeholders, NAME=VALUE lines; repeatable.")
    ],
    "set_": Annotated[
        list[str],
        typer.Option(
            "--set",
            autocompletion=completing.paths,
            metavar="PATH=VALUE",
            help="Set one value, as 'loggers[ropeway.gate].level=debug'.",
        ),
    ],
    "tune": Annotated[
        list[str],
        typer.Option(
            "--tune",
            autocompletion=completing.tunes,
            metavar="LOGGER=LEVEL",
            help="Set a logger's level and switch it on; repeatable.",
        ),
    ],
}
FLAGS = {
    "by": "--by",
    "stage": "--stage",
    "with_": "--with",
    "env": "--env",
    "env_file": "--env-file",
    "set_": "--set",
    "tune": "--tune",
}
PLAN_OPTIONS = tuple(FLAGS.values())
_BEFORE = ("wide", "json")
"""Options that stand last on every help page."""


class PlanOptions(Struct, frozen=True):
    """The plan options of a call."""

    by: str = ""
    stage: list[str] = []
    with_: list[Path] = []
    env: list[str] = []
    env_file: list[Path] = []
    set_: list[str] = []
    tune: list[str] = []

    def read(self, plan: str | Path, texts: dict[str, str] | None = None, *, quiet: bool = False) -> ResolvedPlan:
        """Return a plan as the options say; faults stop the command. ``texts`` stand in for files by their name.

        What a document in another format leaves over is told, unless ``quiet`` (where the command tells it itself).
        """
        found = read_resolved_plan(
            plan, stages=self.stage, layers=self.with_, env=self.env, env_files=self.env_file, sets=self.set_, tunes=self.tune,
            texts=texts, by=self.by,
        )  # fmt: skip
        if found.adoption is not None:
            calling.remark(document_notes(found.adoption, str(plan), named=bool(self.by), quiet=quiet))
        if self.tune or self.set_:
            unknown_names.ask_about_changes(found.plan)
        return found

    def given(self) -> dict[str, object]:
        """Return the values by their options' names."""
        return {flag: getattr(self, name) for name, flag in FLAGS.items()}


def takes_plan_options(run: Callable[..., None]) -> Callable[..., None]:
    """Add the plan options to a command, but those that it declares by itself, and give it all as its first parameter.

    A `--set` or `--tune` of its own means something else there: the change that is asked about.
    """
    hints = get_type_hints(run, include_extras=True)
    first, *own = inspect.signature(run).parameters.values()
    taken = {one.name for one in own}
    added = {name: kind for name, kind in _DECLARED.items() if name not in taken}

    @wraps(run)
    def command(**given: Any) -> None:
        run(**{first.name: PlanOptions(**{name: given.pop(name) for name in added})}, **given)

    at = next((place for place, one in enumerate(own) if one.name in _BEFORE), len(own))
    options = [
        inspect.Parameter(name, first.kind, default="" if name == "by" else [], annotation=kind) for name, kind in added.items()
    ]
    return _declared(command, [*own[:at], *options, *own[at:]], {**hints, **added})


def reads_plan(run: Callable[..., None]) -> Callable[..., None]:
    """Give a command the argument PLAN and the plan options, and hand it the resolved plan as its first parameter."""
    hints = get_type_hints(run, include_extras=True)
    first, *own = inspect.signature(run).parameters.values()

    @wraps(run)
    def command(options: PlanOptions, plan: Path, **given: Any) -> None:
        run(**{first.name: options.read(plan)}, **given)

    leading = [inspect.Parameter(name, first.kind) for name in ("options", "plan")]
    return takes_plan_options(
        _declared(command, [*leading, *own], {**hints, "options": PlanOptions, "plan": PlanArgument}),
    )


def _declared(
    command: Callable[..., None], parameters: Iterable[inspect.Parameter], hints: dict[str, Any]
) -> Callable[..., None]:
    """Tell Typer, which reads signatures, what a wrapped command takes."""
    found = [one.replace(annotation=hints[one.name]) for one in parameters]
    command.__signature__ = inspect.Signature(found)  # type: ignore[attr-defined]
    command.__annotations__ = {**{one.name: one.annotation for one in found}, "return": None}
    return command
