"""`vetrina receive --into DIR`: the stand-in for mail, syslog and HTTP, on loopback."""

from __future__ import annotations

import signal
import sys
import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer

from vetrina.commands import calling, options
from vetrina.formats.safe_files import locked
from vetrina.rehearsal import sandbox
from vetrina.views import screen
from vetrina.views.documents.rehearse import Receive
from vetrina.views.screen import Column, Line, span, table


def run(
    into: Annotated[Path, typer.Option("--into", metavar="DIR", help="Where to keep what arrives.", show_default=False)],
    host: Annotated[str, typer.Option("--host", metavar="HOST", help="A loopback address.")] = "127.0.0.1",
    smtp: Annotated[
        int, typer.Option("--smtp", metavar="PORT", help="Port for mail; 0 takes a free one.", min=0, max=65535)
    ] = 0,
    udp: Annotated[int, typer.Option("--udp", metavar="PORT", help="Port for syslog datagrams.", min=0, max=65535)] = 0,
    tcp: Annotated[int, typer.Option("--tcp", metavar="PORT", help="Port for syslog streams.", min=0, max=65535)] = 0,
    tls: Annotated[int, typer.Option("--tls", metavar="PORT", help="Port for encrypted syslog streams.", min=0, max=65535)] = 0,
    http: Annotated[int, typer.Option("--http", metavar="PORT", help="Port for HTTP.", min=0, max=65535)] = 0,
    trouble: Annotated[
        list[str], typer.Option("--trouble", metavar="T", help="Misbehave: slow, refuse, close, every=3; smtp:refuse for one.")
    ] = [],
    clean: Annotated[bool, typer.Option("--clean", help="Clear what an earlier one kept in the folder.")] = False,
    json: options.JsonOption = False,
) -> None:
    """Listen on loopback for mail, syslog and HTTP, and keep what arrives as files, until Ctrl-C.

    \b
    Examples:
      vetrina receive --into received
      vetrina receive --into received --smtp 2525 --trouble smtp:every=3
      vetrina rehearse plan.yaml week.jsonl --into rehearsed --send --receiver 127.0.0.1:PORT
    """
    made = _receiver(into, host, trouble, {"smtp": smtp, "syslog_udp": udp, "syslog_tcp": tcp, "syslog_tls": tls, "http": http})
    sandbox.make_folder(into)
    with locked(into.resolve()):
        told = sandbox.enter(into, clean=clean, by="receive")
        if told:
            calling.remark([told])
        stand_in = made()
        _tell(stand_in.start(), into, as_json=json)
        _wait()
        stand_in.stop()
        sandbox.mark(into, {"state": "done", "by": "receive"})
    counts = ", ".join(f"{count} {name}" for name, count in stand_in.received.items() if count)
    calling.remark([f"received: {counts or 'nothing'}"])


def _receiver(into: Path, host: str, trouble: list[str], ports: dict[str, int]) -> Callable[[], Any]:
    """Return what makes the receiver of a call, in a folder that is entered; wrong options are refused now."""
    try:
        from vetrina.rehearsal.client import Ports, loopback  # noqa: PLC0415  (only where something is received)
        from vetrina.rehearsal.standin.receiver import Receiver  # noqa: PLC0415
        from vetrina.rehearsal.standin.trouble import Troubles, trouble_of  # noqa: PLC0415
    except ImportError as error:
        raise calling.missing_library("receiving", str(error.name), "live", "receive") from None
    address = loopback(host)
    return partial(
        Receiver,
        into / "received",
        host=address,
        ports=Ports(address, **ports),
        troubles=Troubles(tuple(trouble_of(one) for one in trouble)),
        complain=lambda text: calling.remark([[screen.span(f"warning: {text}", "raised")]]),
    )


def _tell(ports: Any, into: Path, *, as_json: bool) -> None:
    """Print where it listens."""
    rows = {
        "smtp": ports.smtp,
        "syslog udp": ports.syslog_udp,
        "syslog tcp": ports.syslog_tcp,
        "syslog tls": ports.syslog_tls,
        "http": ports.http,
    }
    if as_json:
        named = {name.replace(" ", "_"): port for name, port in rows.items()}
        calling.print_json(Receive(ports.host, named, str(into)))
    else:
        cells = [[span(name), span(f"{ports.host}:{port}", "place")] for name, port in rows.items()]
        lines: list[Line] = table([Column(""), Column("")], cells, 80, 2)
        calling.print_lines(["listening, until Ctrl-C", *lines, f"rehearse with --send --receiver {ports.host}:{ports.http}"])
    sys.stdout.flush()


def _wait() -> None:
    """Wait for Ctrl-C, or to be ended."""
    ended = threading.Event()
    for one in (signal.SIGINT, signal.SIGTERM):
        signal.signal(one, lambda *_: ended.set())
    while not ended.wait(0.2):
        pass
