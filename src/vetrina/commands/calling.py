"""What the commands share: how what was typed is taken, and how results leave."""

from __future__ import annotations

import math
import os
import sys
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from enum import IntEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import msgspec
import typer
from msgspec.structs import replace

from vetrina.core.base import clocks
from vetrina.core.base.faults import Refused, near_logger, refuse
from vetrina.core.base.hidden import shown
from vetrina.core.base.levels import Scale
from vetrina.core.base.logger_names import ROOT, below
from vetrina.core.base.wording import counted
from vetrina.core.plan.loggers import Tree
from vetrina.core.plan.model import Plan
from vetrina.formats.documents import yaml_value
from vetrina.formats.opening import only_once
from vetrina.views import screen
from vetrina.views.json_text import json_line, json_text
from vetrina.work.asked import level_range

if TYPE_CHECKING:
    from vetrina.core.routing.parts import Part
    from vetrina.formats.inputs import Inputs
    from vetrina.work.recording import Recording


class Exit(IntEnum):
    """What a command's end means to a script."""

    FINE = 0
    WANTING = 1
    WRONG = 2


def print_json(document: Any) -> None:
    """Write one JSON document to standard output."""
    sys.stdout.write(msgspec.json.format(json_text(document).encode(), indent=2).decode() + "\n")


def print_json_line(document: Any) -> None:
    """Write one JSON document on a line of its own to standard output."""
    sys.stdout.write(json_line(document))


def print_lines(lines: Iterable[screen.Line | str]) -> None:
    """Write styled lines to standard output."""
    screen.show(lines, sys.stdout)


def print_ready(shown: str | list[screen.Line]) -> None:
    """Write text as it is, or styled lines, to standard output."""
    if isinstance(shown, str):
        sys.stdout.write(shown)
    else:
        print_lines(shown)


def print_fitted(lines: Iterable[screen.Line], width: int, *plans: Plan) -> None:
    """Write styled lines to standard output, folded where they are longer than a terminal is wide, without the plans' secrets."""
    for plan in plans:
        lines = without_secrets(lines, plan)
    screen.show(screen.fit(lines, width), sys.stdout)


def remark(lines: Iterable[screen.Line | str]) -> None:
    """Write styled lines to standard error."""
    sys.stdout.flush()
    screen.show(lines, sys.stderr)


def width(*, wide: bool = False) -> screen.Width:
    """Return the columns of standard output; with ``wide``, and in a pipe, nothing is cut off."""
    return screen.width_of(sys.stdout, wide=wide)


def remark_bad_lines(name: str, unreadable: int, bad_lines: Iterable[Any], words: str = "not an event") -> None:
    """Tell on standard error which lines were not readable: the first few, and how many there are."""
    if not unreadable:
        return
    lines: list[screen.Line] = [
        [
            screen.span(f"{bad.name or name}:{bad.number}:1", "place"),
            screen.Span(f": {words}: ", "bad"),
            screen.span(bad.reason),
        ]
        for bad in bad_lines
    ]
    more = unreadable - len(lines)
    if more:
        lines.append([screen.Span(f"… and {counted(more, 'more line')} that could not be read", "quiet")])
    remark(lines)


def end_of(recording: Recording) -> None:
    """Tell which lines of a recording were not readable, and end with 1 if there were any."""
    remark_bad_lines(recording.name, recording.unreadable, recording.bad_lines)
    if recording.unreadable:
        raise typer.Exit(Exit.WANTING)


def exclude(option: str, given: object, others: Mapping[str, object]) -> None:
    """Refuse options that have no effect beside another one."""
    if not given:
        return
    for other, value in others.items():
        if value not in (None, False, "", (), []):
            raise refuse(f"{other} has no effect with {option}", fix="leave one of them out", where=other)


def readers_given(workers: str, cluster: str) -> dict[str, str]:
    """Return the options that say who reads, as far as they were given."""
    return {"--workers": workers.replace("auto", ""), "--cluster": cluster}


def only_beside(option: str, *allowed: str) -> None:
    """Refuse every option of this call but ``option`` and the ``allowed`` ones: they would have no effect with it."""
    context = click.get_current_context()
    for one in context.command.params:
        given = one.name is not None and context.get_parameter_source(one.name) is click.core.ParameterSource.COMMANDLINE
        flag = one.opts[0]
        if given and flag.startswith("--") and flag not in {option, *allowed}:
            raise refuse(f"{flag} has no effect with {option}", fix="leave one of them out", where=flag)


def picture_kind(plot: Path | None) -> None:
    """Refuse a picture's file name whose end does not say what kind it is."""
    if plot is not None and plot.suffix not in {".svg", ".png"}:
        raise refuse(f'"{plot.suffix}" is no kind of picture', fix="end the name with .svg or .png", where=f"--plot {plot}")


def readable(inputs: Inputs, where: str, *, again: bool) -> Inputs:
    """Return inputs; refuse ones that are to be read ``again`` and cannot be."""
    if again and inputs.only_once:
        raise refuse("standard input can be read only once", fix="put the events into a file", where=where)
    return inputs


def possible_scale(scale: float) -> None:
    """Refuse a factor that is no number."""
    if math.isnan(scale):
        raise refuse("a scale is a number such as 2.5", where="--scale nan")


def seed_of(seed: int | None, drawing: Mapping[str, object]) -> int:
    """Return the seed of a call, 1 where none is given; refuse one where none of the options is given that draw."""
    if seed is not None and not any(drawing.values()):
        raise refuse(f"--seed has no effect without {' or '.join(drawing)}", fix="leave it out", where="--seed")
    return 1 if seed is None else seed


def missing_library(doing: str, library: str, extra: str, where: str) -> Refused:
    """Return what is said where a library of an extra is not installed."""
    return refuse(f"{doing} needs {library}, which is not installed", fix=f"pip install 'vetrina[{extra}]'", where=where)


def key_value(text: str, option: str) -> tuple[str, str]:
    """Return the two sides of a K=V option."""
    name, equals, value = text.partition("=")
    if not equals or not name:
        raise refuse("this is not K=V", fix=f"write {option} badge=4711", where=f"{option} {text}")
    return name, value


def ask_about_logger(logger: str, plan: Plan, seen: Iterable[str] = (), events: str = "") -> None:
    """Ask on standard error whether a logger is meant that neither an entry of the plan nor an event names."""
    known = dict.fromkeys([ROOT, *plan.loggers, *seen])
    if any(below(one, logger, plan.separator) for one in known):
        return
    words = f'no such logger is configured{f" or seen in {events}" if events else ""}: "{logger[:80]}"'
    close = near_logger(logger, known, plan.separator)
    words += f'; did you mean "{close}"?' if close else f" takes everything from {Tree(plan).nearest(logger)}"
    remark([[screen.Span("note: ", "raised"), screen.span(words)]])


def moment(text: str, zone: str, option: str) -> datetime:
    """Return the instant of a time in an option; without an offset it is in ``zone``, the plan's."""
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        fix = "write 2026-11-13T12:00:00+01:00, or without the offset in the plan's zone, or a day"
        raise refuse(f'"{text[:40]}" is no time', fix=fix, where=option) from None
    try:
        return (found if found.tzinfo else found.replace(tzinfo=clocks.zone(zone))).astimezone(UTC)
    except OverflowError:
        raise refuse(f'"{text[:40]}" is past the end of the calendar in UTC', where=option) from None


def write_file(path: Path, text: str) -> None:
    """Write a result to a file of its own; what is in the way is told."""
    write_bytes(path, shown(text).encode("utf-8", "backslashreplace"))


def write_bytes(path: Path, data: bytes) -> None:
    """Write bytes to a file of its own; what is in the way is told, and a file that the call names besides is kept."""
    refuse_input(path)
    try:
        path.write_bytes(data)
    except (OSError, ValueError) as error:
        reason = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise refuse(f"cannot be written: {reason}", fix="check the folder and its permissions", where=str(path)) from None


def refuse_input(path: Path) -> None:
    """Refuse to write a file that the call names besides: an input of it, or another output."""
    if _named_besides(path):
        raise refuse(
            "this file is named twice in the call", "writing it would replace the other one", "name a new file", where=str(path)
        )


def _named_besides(path: Path) -> bool:
    """Tell whether a file is an input, or another output, of this call too: two of its words lead there."""
    words = [word.partition("=")[2] if word.startswith("--") and "=" in word else word for word in sys.argv[2:]]
    there = os.path.realpath(path)
    return sum(bool(word) and (os.path.realpath(word) == there or _same(word, path)) for word in words) > 1


def _same(word: str, path: Path) -> bool:
    try:
        return path.samefile(word)
    except (OSError, ValueError):
        return False


def part_of(scale: Scale, logger: str, level: str, field: list[str]) -> Part:
    """Return which events --logger, --level and --field leave."""
    from vetrina.core.routing.parts import Part  # noqa: PLC0415  (only commands that count load it)

    levels = level_range(scale, level, "--level")
    fields = []
    for text in field:
        name, value = key_value(text, "--field")
        fields.append((name, yaml_value(value, f"--field {text}")))
    return Part(logger, levels, tuple(fields))


def warn_of_secrets() -> None:
    """Tell on standard error that what follows carries values that are hidden elsewhere."""
    remark([[screen.Span("warning: ", "raised"), screen.Span("the output carries values that look like credentials")]])


def without_secrets(lines: Iterable[screen.Line], plan: Plan) -> Iterable[screen.Line]:
    """Return lines with a plan's hidden values as `***`."""
    if not plan.secrets:
        return lines
    clean = screen.hider(plan)
    return [[screen.Span(clean("".join(part.text for part in line)), line[0].style if line else "")] for line in lines]


@contextmanager
def again_and_again(inputs: Inputs) -> Iterator[Inputs]:
    """Yield inputs that can be read several times: standard input, or a pipe, is put into a file first."""
    if not inputs.only_once:
        yield inputs
        return
    import tempfile  # noqa: PLC0415  (rare)

    with tempfile.TemporaryDirectory(prefix="vetrina-") as folder:
        yield _kept(inputs, Path(folder))


def _kept(inputs: Inputs, folder: Path) -> Inputs:
    """Return inputs of which those that can be read only once were put into files of a folder."""
    from vetrina.commands.progress import watched  # noqa: PLC0415  (commands without events start without it)
    from vetrina.formats.inputs import open_one  # noqa: PLC0415

    parts = []
    with watched(inputs):
        for at, one in enumerate(inputs.parts):
            spool = folder / f"{at}.jsonl"
            if only_once(one.path):
                with open_one(one.path) as file, spool.open("wb") as out:
                    while block := file.read(1 << 20):
                        out.write(block)
            parts.append(replace(one, path=str(spool)) if only_once(one.path) else one)
    return replace(inputs, parts=tuple(parts))
