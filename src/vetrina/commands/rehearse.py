"""`vetrina rehearse PLAN EVENTS --into DIR`: the real files, mails, datagrams, requests and rows, in a sandbox."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, suppress
from datetime import datetime
from itertools import islice
from pathlib import Path
from typing import Annotated, Any

import typer
from msgspec import Struct

from vetrina.commands import calling, completing, options
from vetrina.commands.reading import reading
from vetrina.commands.receivers import client_of
from vetrina.core.base import clocks
from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.events import Event
from vetrina.core.base.faults import refuse
from vetrina.core.base.quantities import size
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.routing.router import Router
from vetrina.core.templates.forms import live_columns
from vetrina.formats.inputs import Inputs, inputs_of
from vetrina.formats.safe_files import locked
from vetrina.rehearsal import sandbox
from vetrina.rehearsal.outlets.outlet import RehearsalSite
from vetrina.rehearsal.pacing import paced
from vetrina.rehearsal.rehearsal import Rehearsal, Troubles
from vetrina.rehearsal.verifying import MOST, differences
from vetrina.views import rehearse as view
from vetrina.views import screen
from vetrina.views.documents import rehearse as documents
from vetrina.work.asked import known_appenders
from vetrina.work.recording import Recording
from vetrina.work.rehearsing import RenderJob

LIMIT, MOST_FILES = "10 GiB", 100_000


@options.reads_plan
def run(
    found: ResolvedPlan,
    events: options.EventsArgument,
    into: Annotated[
        Path, typer.Option("--into", metavar="DIR", help="The folder: empty, new, or a rehearsal's.", show_default=False)
    ],
    clean: Annotated[bool, typer.Option("--clean", help="Clear an earlier rehearsal in the folder first.")] = False,
    keep_removed: Annotated[
        bool, typer.Option("--keep-removed", help="Keep what the limits remove, apart in removed/.")
    ] = False,
    verify: Annotated[
        bool, typer.Option("--verify", help="Hold the folder against the simulation; exit 1 if they differ.")
    ] = False,
    send: Annotated[
        bool, typer.Option("--send", help="Send mail, syslog and HTTP for real, to a receiver on loopback.")
    ] = False,
    receiver: Annotated[
        str,
        typer.Option("--receiver", metavar="HOST:PORT", help="With --send: a vetrina receive that runs already (loopback)."),
    ] = "",
    trouble: Annotated[
        list[str],
        typer.Option("--trouble", metavar="T", help="With --send: slow, refuse, close, every=3; smtp:refuse for one."),
    ] = [],
    crash_at: Annotated[
        str, typer.Option("--crash-at", metavar="TIME", help="Crash then: what waits in buffers is lost.")
    ] = "",
    disk_full: Annotated[str, typer.Option("--disk-full", metavar="SIZE", help="The disk has this much room, no more.")] = "",
    down: Annotated[
        list[str],
        typer.Option(
            "--down",
            autocompletion=completing.appenders,
            metavar="'A FROM..TO'",
            help="This appender's sink is down for a while; repeatable.",
        ),
    ] = [],
    pace: Annotated[
        float | None, typer.Option("--pace", metavar="SPEED", help="Play the traffic SPEED times as fast as it was.")
    ] = None,
    limit: Annotated[str, typer.Option("--limit", metavar="SIZE", help="Stop before writing more than this.")] = LIMIT,
    most_files: Annotated[
        int, typer.Option("--most-files", metavar="N", help="Stop before making more files.", min=1)
    ] = MOST_FILES,
    also: options.AlsoOption = [],
    workers: options.WorkersOption = "auto",
    cluster: options.ClusterOption = "",
    strict: options.StrictOption = False,
    wide: options.WideOption = False,
    json: options.JsonOption = False,
) -> None:
    """Deliver the events for real, but into DIR and onto loopback only: files, mails, datagrams, requests and rows to open.

    Nothing is ever written outside DIR, and no other machine is dialled.

    \b
    Examples:
      vetrina rehearse plan.yaml week.jsonl --into rehearsed
      vetrina rehearse plan.yaml week.jsonl --into rehearsed --clean --keep-removed --verify
      vetrina rehearse plan.yaml week.jsonl --into rehearsed --send --trouble smtp:every=3
      vetrina rehearse plan.yaml week.jsonl --into rehearsed --crash-at 2026-11-12T16:41:00+01:00
      vetrina rehearse plan.yaml week.jsonl --into rehearsed --pace 3600
    """
    inputs = _possible(inputs_of(events, also), pace, receiver, trouble, send=send, verify=verify)
    troubles = Troubles(
        calling.moment(crash_at, found.plan.zone, "--crash-at") if crash_at else None,
        tuple(_down(one, found.plan) for one in down),
    )
    room = (_size(limit, "--limit"), most_files, _size(disk_full, "--disk-full") if disk_full else None)
    sandbox.make_folder(into)
    with ExitStack() as stack:
        recording = _recording(stack, inputs, workers, cluster, pace, found.plan, strict=strict)
        box = _entered(stack, into, room, clean=clean, secrets=bool(found.plan.secrets))
        client, stand_in = client_of(stack, into, receiver, trouble) if send else (None, None)
        rehearsal = Rehearsal(
            Router(found.plan), RehearsalSite(found.plan, found.full_folder, box, client, keep_removed), troubles
        )
        _play(rehearsal, recording, pace, into)
        different = _ended(rehearsal, client, stand_in, Recording(inputs).batches(found.plan.scale) if verify else None)
        sandbox.mark(into, {"state": "done", "plan": found.plan.name})
    shown = _Shown(rehearsal, into, box, client.mapping if client else {}, different)
    shown.show(recording.unreadable, wide=wide, as_json=json)
    _end(recording, different)


def _recording(
    stack: ExitStack, inputs: Inputs, workers: str, cluster: str, pace: float | None, plan: Plan, *, strict: bool
) -> Recording:
    """Return the events, read by whoever is asked to; those that are paced by this process, which shows how it goes."""
    calling.exclude("--pace", pace, calling.readers_given(workers, cluster))
    engine = None if pace is not None else stack.enter_context(reading(inputs, workers, cluster, plans=[plan]))
    return Recording(inputs, strict=strict, engine=engine)


def _end(recording: Recording, different: list[str] | None) -> None:
    """Tell which lines were not readable; end with 1 for those, and for a folder that is not as simulated."""
    calling.remark_bad_lines(recording.name, recording.unreadable, recording.bad_lines)
    if recording.unreadable or different:
        raise typer.Exit(calling.Exit.WANTING)


def _possible(inputs: Inputs, pace: float | None, receiver: str, trouble: list[str], *, send: bool, verify: bool) -> Inputs:
    """Return the inputs; refuse calls that cannot be answered."""
    if pace is not None and not 0 < pace < 1e9:
        raise refuse("a pace is a number above 0", fix="write --pace 3600 for an hour in a second", where="--pace")
    if (receiver or trouble) and not send:
        raise refuse("--receiver and --trouble go with --send", fix="add --send", where="rehearse")
    if verify and inputs.only_once:
        raise refuse("standard input can be read only once", fix="put the events into a file", where="--verify")
    return inputs


def _entered(stack: ExitStack, into: Path, room: tuple[int, int, int | None], *, clean: bool, secrets: bool) -> sandbox.Sandbox:
    """Return the sandbox of a folder, locked for this call."""
    stack.enter_context(locked(into.resolve()))
    told = sandbox.enter(into, clean=clean)
    if told:
        calling.remark([told])
    if secrets:
        calling.warn_of_secrets()
    return sandbox.Sandbox(into, most_bytes=room[0], most_files=room[1], disk=room[2])


def _ended(rehearsal: Rehearsal, client: Any, stand_in: Any, again: Iterator[list[Event]] | None) -> list[str] | None:
    """Wait until all has arrived; return where the folder differs from the simulation of the events ``again``, None without them."""
    if client is not None:
        client.close()
    if stand_in is not None:
        stand_in.settle(sum(_sent(rehearsal).values()))
    if again is None:
        return None
    different = list(islice(differences(rehearsal, again, rehearsal.place.sandbox.folder), MOST))
    return [*different, *_missing(rehearsal, stand_in)] if stand_in is not None else different


def _play(rehearsal: Rehearsal, recording: Recording, pace: float | None, into: Path) -> None:
    """Send all events through; whatever stops that, what is open is closed, so that whole lines are left."""
    try:
        scale = rehearsal.router.plan.scale
        if pace is not None:
            _play_paced(rehearsal, recording.read(scale), pace)
        elif recording.alone or rehearsal.router.plan.remembers:
            for _, events in recording.in_order(scale):
                rehearsal.feed(events)
        else:
            for batch in recording.show(scale, RenderJob(rehearsal.router.plan)):
                rehearsal.add(batch)
        rehearsal.finish()
    except sandbox.LimitReached as reached:
        rehearsal.abandon()
        sandbox.mark(into, {"state": "running"})
        raise refuse(f"stopped: the rehearsal would write {reached}", "whole lines are left in the folder",
                     reached.fix, where=str(into)) from None  # fmt: skip
    except OSError as error:
        with suppress(OSError):
            rehearsal.abandon()
        raise refuse(f"stopped: what was delivered cannot be written: {error.strerror or error}", "whole lines are left in the folder",
                     "make room there, or rehearse in another folder", where=str(error.filename or into)) from None  # fmt: skip
    except BaseException:
        rehearsal.abandon()
        raise


def _remark_live(rehearsal: Rehearsal) -> None:
    """Warn of CSV that was made and that a spreadsheet may run: it stays what the plan says."""
    for name, lane in rehearsal.lanes.items():
        live = live_columns(lane.appender.template) if lane.sum.reached else ""
        if live:
            text = f"warning: cells of {name} ({live}) may begin like formulas; a spreadsheet runs those (vetrina check --explain live-cell)"
            calling.remark([[screen.span(text, "raised")]])


def _play_paced(rehearsal: Rehearsal, events: Iterator[Event], pace: float) -> None:
    first = next(events, None)
    if first is None:
        return
    wait = paced(pace, first.time, time.monotonic, time.sleep)
    show = _live(rehearsal)
    try:
        for event in (one for some in ([first], events) for one in some):
            wait(event.time)
            rehearsal.take(event)
            rehearsal.write_out()
            show(event.time)
    finally:
        show(None)


def _live(rehearsal: Rehearsal) -> Callable[[datetime | None], None]:
    """Return a function that keeps a live view on a terminal; elsewhere it does nothing."""
    if not sys.stderr.isatty():
        return lambda _now: None
    from rich.console import Console  # noqa: PLC0415  (on terminals only)
    from rich.live import Live  # noqa: PLC0415

    screen = Live(console=Console(file=sys.stderr), auto_refresh=False)
    screen.start()
    shown = 0.0

    def show(now: datetime | None) -> None:
        nonlocal shown
        if now is None:
            screen.stop()
        elif time.monotonic() - shown > 0.1:
            shown = time.monotonic()
            rehearsal.settle_sums()
            zone = clocks.zone(rehearsal.router.plan.zone)
            waiting = {name: sum(one.times for one in lane.waiting.parcels) for name, lane in rehearsal.lanes.items()}
            screen.update(view.live(now.astimezone(zone), _sums(rehearsal), waiting), refresh=True)

    return show


def _sent(rehearsal: Rehearsal) -> dict[str, int]:
    """Return how many deliveries were sent, by protocol: a mail and a request for each group, a message for each event."""
    wanted: dict[str, int] = {}
    for lane in rehearsal.lanes.values():
        sink = lane.appender.sink
        if sink.receiver:
            count = lane.sum.groups if sink.traits.grouped else lane.sum.delivered
            wanted[sink.receiver] = wanted.get(sink.receiver, 0) + count
    return wanted


def _missing(rehearsal: Rehearsal, stand_in: Any) -> list[str]:
    """Return where the receiver has counted something else than was delivered."""
    sent = _sent(rehearsal)
    return [
        f"{name}: {stand_in.received[name]} received, {count} sent"
        for name, count in sent.items()
        if stand_in.received[name] != count
    ]


def _sums(rehearsal: Rehearsal) -> dict[str, tuple[str, Any]]:
    return {name: (lane.appender.sink.title, lane.sum) for name, lane in rehearsal.lanes.items()}


class _Shown(Struct):
    """What a rehearsal did, for people or a program."""

    rehearsal: Rehearsal
    into: Path
    box: sandbox.Sandbox
    dialled: dict[str, str]
    different: list[str] | None

    def show(self, unreadable: int, *, wide: bool, as_json: bool) -> None:
        """Print it, after the warnings."""
        _remark_shared(self.rehearsal)
        _remark_live(self.rehearsal)
        events, sums, files = self.rehearsal.events, _sums(self.rehearsal), self._files()
        if as_json:
            mapping, different = self.box.mapping, self.different
            calling.print_json(
                documents.document(events, unreadable, str(self.into), sums, files, mapping, self.dialled, different)
            )
            return
        width = calling.width(wide=wide)
        lines = [*view.sum_lines(events, sums, width), [], *view.folder_lines(str(self.into), files, width)]
        mapped = view.mapping_lines(_first_names(self.box.mapping), self.dialled, width)
        lines += [[], *mapped] if mapped else []
        lines += [[], *view.verified_lines(self.different)] if self.different is not None else []
        calling.print_fitted(lines, width, self.rehearsal.router.plan)

    def _files(self) -> list[tuple[str, int]]:
        """Return every file in the folder with its size."""
        root = self.box.folder
        return sorted(
            (Path(folder, name).relative_to(root).as_posix(), Path(folder, name).lstat().st_size)
            for part in sandbox.OWN
            for folder, _, names in os.walk(root / part)
            for name in names
        )


def _remark_shared(rehearsal: Rehearsal) -> None:
    """Tell which appenders wrote one file: in the running service each would roll it by itself."""
    for first in dict.fromkeys(rehearsal.shared.values()):
        names = [name for name, one in rehearsal.shared.items() if one == first]
        place = rehearsal.router.plan.appenders[first].sink.label
        calling.remark([
            f"warning: {', '.join(names[:-1])} and {names[-1]} write to one file, {place}: here through one writer, by {first}'s rolling policy (vetrina check --explain shared-place)"
        ])  # fmt: skip


def _first_names(mapping: dict[str, str]) -> dict[str, str]:
    """Return one path for each folder: a hundred rolled files stand beside each other."""
    seen: dict[str, tuple[str, str]] = {}
    for path, where in mapping.items():
        seen.setdefault(where.rpartition("/")[0], (path.rpartition("/")[0] or path, where.rpartition("/")[0]))
    return {path: where for path, where in seen.values() if path.startswith("/")}


def _size(text: str, option: str) -> int:
    try:
        return size(text)
    except NotUnderstood as reason:
        raise refuse(str(reason), where=f"{option} {text}") from None


def _down(text: str, plan: Plan) -> tuple[str, datetime, datetime]:
    name, _, span = text.strip().partition(" ")
    begun, dots, ended = span.strip().partition("..")
    known_appenders(plan, [name], f"--down {text}")
    if not dots:
        raise refuse(
            "this is no stretch of time", fix="write 'alarms 2026-11-12T10:00..2026-11-12T12:00'", where=f"--down {text}"
        )
    return name, calling.moment(begun, plan.zone, f"--down {text}"), calling.moment(ended, plan.zone, f"--down {text}")
