"""`vetrina mimic PLAN EVENTS --into DIR`: the stand-in for a running service, on loopback."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import typer
from msgspec.structs import replace

from vetrina.commands import calling, options
from vetrina.commands.live import span_given
from vetrina.commands.reading import reading
from vetrina.commands.stopping import Stop, noted
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.routing.router import Router
from vetrina.formats.inputs import Inputs, inputs_of
from vetrina.formats.safe_files import locked, replace_file
from vetrina.rehearsal import mimic_files, sandbox
from vetrina.rehearsal.mimic_server import MimicServer, Misbehaviour
from vetrina.rehearsal.mimicked import Mimicked
from vetrina.rehearsal.outlets.outlet import RehearsalSite
from vetrina.rehearsal.rehearsal import Rehearsal
from vetrina.views import screen
from vetrina.views.documents.mimic import Mimic
from vetrina.work.recording import Recording

_TOGETHER = 500
_SLICE = 0.05


@options.takes_plan_options
def run(
    given: options.PlanOptions,
    plan: options.PlanArgument,
    events: options.EventsArgument,
    into: Annotated[
        Path,
        typer.Option(
            "--into", metavar="DIR", help="Where it writes: empty, new, or an earlier stand-in's.", show_default=False
        ),
    ],
    pace: Annotated[float, typer.Option("--pace", metavar="X", help="Play the events X times as fast as they were.")] = 1.0,
    listen: Annotated[
        int, typer.Option("--listen", metavar="PORT", help="The port on 127.0.0.1; 0 takes a free one.", min=0, max=65535)
    ] = 0,
    loop: Annotated[bool, typer.Option("--loop", help="Begin again at the end of the events.")] = False,
    for_: Annotated[str, typer.Option("--for", metavar="DURATION", help="End after this time.")] = "",
    service: Annotated[Path | None, typer.Option("--service", metavar="FILE", help="Write a service file for it.")] = None,
    flaky: Annotated[int, typer.Option("--flaky", metavar="N", help="Fail every N-th request.", min=0)] = 0,
    deaf: Annotated[str, typer.Option("--deaf", metavar="DURATION", help="Take and answer every request so much later.")] = "",
    forget: Annotated[bool, typer.Option("--forget", help="Accept a level, and do not keep it.")] = False,
    clean: Annotated[bool, typer.Option("--clean", help="Clear what an earlier one left in the folder first.")] = False,
    also: options.AlsoOption = [],
    strict: options.StrictOption = False,
    json: options.JsonOption = False,
) -> None:
    """Stand in for a running service: play events through the plan into real files, and let levels be read and changed meanwhile.

    It listens on loopback only. The events' times are shifted to now. It ends with the events, on Ctrl-C, or after --for.

    \b
    Examples:
      vetrina mimic plan.yaml week.jsonl --into room --pace 600 --service room.service.yaml
      vetrina mimic plan.yaml week.jsonl --into room --listen 8700 --loop --for "10 minutes"
      vetrina mimic plan.yaml week.jsonl --into room --flaky 3 --deaf "2 seconds"
    """
    manner = _manner(pace, flaky, deaf, forget=forget)
    found = given.read(plan)
    inputs = _inputs(events, also, loop=loop)
    recording = Recording(inputs, strict=strict)
    sandbox.make_folder(into)
    with locked(into.resolve()), noted() as stop:
        rehearsal = _rehearsal(found.plan, into, clean=clean)
        process = Mimicked(rehearsal, _loggers(inputs, recording, found.plan))
        server = _listening(process, listen, manner)
        _tell(given, found, plan, into, service, server.port, as_json=json)
        over = _over(stop, span_given(for_, "--for") if for_ else None)
        with _ending(server, rehearsal, into):
            _play(process, recording, found.plan, pace, loop=loop, over=over)
    _told(server, process)
    calling.end_of(recording)


def _over(stop: Stop, seconds: float | None) -> Callable[[], bool]:
    """Return what tells whether it is to end: on a signal, or after so many seconds."""
    until = None if seconds is None else time.monotonic() + seconds
    return lambda: stop.asked or (until is not None and time.monotonic() > until)


def _manner(pace: float, flaky: int, deaf: str, *, forget: bool) -> Misbehaviour:
    if not 0 < pace < 1e9:
        raise refuse("a pace is a number above 0", fix="write --pace 600 for ten minutes in a second", where="--pace")
    return Misbehaviour(flaky, span_given(deaf, "--deaf") if deaf else 0.0, forget)


def _inputs(events: str, also: list[str], *, loop: bool) -> Inputs:
    inputs = inputs_of(events, also)
    if loop and inputs.only_once:
        raise refuse("standard input can be read only once", fix="put the events into a file", where="--loop")
    return inputs


def _rehearsal(plan: Plan, into: Path, *, clean: bool) -> Rehearsal:
    """Enter the folder; return what plays into it."""
    told = sandbox.enter(into, clean=clean, by="mimic")
    if told:
        calling.remark([told])
    box = sandbox.Sandbox(into, most_bytes=1 << 40, most_files=1_000_000)
    return Rehearsal(Router(plan), RehearsalSite(plan, mimic_files.folder_of(plan), box))


def _told(server: MimicServer, process: Mimicked) -> None:
    counts = ((server.requests, "request"), (process.changes, "change of levels"), (process.marks, "mark"))
    words = ", ".join(
        f"{screen.number(count)} {noun if count == 1 else noun.replace(' of', 's of') if ' of' in noun else noun + 's'}"
        for count, noun in counts
    )
    calling.remark([f"ended: {words}"])


def _loggers(inputs: Inputs, recording: Recording, plan: Plan) -> set[str]:
    """Return the loggers of the events, as far as they can be read before: a process knows them before it logs."""
    if inputs.only_once:
        return set()
    with reading(inputs, "1", ""):
        return {event.logger for events in recording.batches(plan.scale) for event in events}


def _listening(process: Mimicked, port: int, manner: Misbehaviour) -> MimicServer:
    try:
        return MimicServer(process, port, manner)
    except OSError as error:
        raise refuse(
            f"port {port} cannot be listened at: {error.strerror}",
            fix="name another port, or 0 for a free one",
            where="--listen",
        ) from None


def _tell(
    given: options.PlanOptions, found: ResolvedPlan, plan: Path, into: Path, service: Path | None, port: int, *, as_json: bool
) -> None:
    """Write the service file and the layer that says where it writes, and print where it listens."""
    said, text = mimic_files.places_of(found.plan, into)
    sandbox.write_own(into, mimic_files.PLACES, text.encode("utf-8", "surrogateescape"))
    for name, one in found.plan.appenders.items():
        if one.policy is not None and name not in said:
            calling.remark([f"note: the files of {name} have other names below {into}/: the service file leaves them out"])
    if service is not None:
        _write_service(
            given, found.plan, plan, into, service, port, [name for name in said if found.plan.appenders[name].enabled.value]
        )
    base = f"http://127.0.0.1:{port}"
    if as_json:
        calling.print_json(Mimic(base, str(into), None if service is None else str(service)))
    else:
        lines = [f"listening on {base}, writing below {into}/, until Ctrl-C or the end of the events"]
        calling.print_lines(lines if service is None else [*lines, f"ask it: vetrina live {service}"])
    sys.stdout.flush()


def _write_service(
    given: options.PlanOptions, found: Plan, plan: Path, into: Path, service: Path, port: int, said: list[str]
) -> None:
    folder = service.absolute().parent
    layers = [*(_from(folder, one) for one in given.with_), _from(folder, into / mimic_files.PLACES)]
    by = _from(folder, Path(given.by)) if given.by not in {"", "-"} else given.by
    standing = mimic_files.Standing(_from(folder, plan), by, given.stage, layers)
    text = mimic_files.service_text(found, standing, port, _from(folder, into), said)
    calling.refuse_input(service)
    replace_file(service, text.encode("utf-8", "surrogateescape"))
    left = [f"--{name}" for name, some in (("set", given.set_), ("tune", given.tune)) if some]
    if left:
        calling.remark([f"note: {' and '.join(left)} hold in the stand-in only: the service file's plan is without them"])
    if given.env or given.env_file:
        calling.remark(["note: give --env and --env-file to vetrina live and capture as well"])


def _from(folder: Path, path: Path) -> str:
    return os.path.relpath(path.absolute(), folder)


def _play(process: Mimicked, recording: Recording, plan: Plan, pace: float, *, loop: bool, over: Callable[[], bool]) -> None:
    """Play the events when they are due, those that are due together at once."""
    while not over():
        begun, first = datetime.now(UTC), None
        due: list[Event] = []
        for event in _each(recording, plan):
            first = event.time if first is None else first
            time_ = begun + (event.time - first) / pace
            ahead = (time_ - datetime.now(UTC)).total_seconds()
            if due and (ahead > 0 or len(due) >= _TOGETHER):
                process.play(due)
                due = []
            while ahead > 0 and not over():
                time.sleep(min(ahead, _SLICE))
                ahead = (time_ - datetime.now(UTC)).total_seconds()
            if over():
                return
            due.append(replace(event, time=time_))
        process.play(due)
        if not loop or first is None:
            return


def _each(recording: Recording, plan: Plan) -> Iterator[Event]:
    for events in recording.batches(plan.scale):
        yield from events


@contextmanager
def _ending(server: MimicServer, rehearsal: Rehearsal, into: Path) -> Iterator[None]:
    """Play within this: at the end nobody is listened to any more, and what is open is written and closed."""
    try:
        yield
    finally:
        server.close()
        try:
            rehearsal.finish()
        except (OSError, sandbox.LimitReached):
            rehearsal.abandon()
            raise
        finally:
            sandbox.mark(into, {"state": "done", "by": "mimic"})
