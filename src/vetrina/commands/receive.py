"""`vetrina receive --into DIR`: the stand-in for mail, syslog and HTTP, on loopback."""

from __future__ import annotations

import signal
import sys
import threading
from pathlib import Path
from typing import Annotated

import typer

from vetrina.commands import calling
from vetrina.core.base.faults import refuse
from vetrina.formats.safe_files import locked
from vetrina.rehearsal import sandbox
from vetrina.views import screen
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
    ] = [],  # noqa: B006
    clean: Annotated[bool, typer.Option("--clean", help="Clear what an earlier one kept in the folder.")] = False,
    json: calling.JsonOption = False,
) -> None:
    """Listen on loopback for mail, syslog and HTTP, and keep what arrives as files, until Ctrl-C.

    \b
    Examples:
      vetrina receive --into received
      vetrina receive --into received --smtp 2525 --trouble smtp:every=3
      vetrina rehearse plan.yaml week.jsonl --into rehearsed --send --receiver 127.0.0.1:PORT
    """  # noqa: D301
    try:
        from vetrina.rehearsal.client import Ports, loopback  # noqa: PLC0415  (only where something is received)
        from vetrina.rehearsal.standin.receiver import Receiver  # noqa: PLC0415
        from vetrina.rehearsal.standin.trouble import Troubles, trouble_of  # noqa: PLC0415
    except ImportError as error:
        what = f"receiving needs {error.name}, which is not installed"
        raise refuse(what, fix="pip install 'vetrina[send]'", where="receive") from None
    address = loopback(host)
    troubles = Troubles(tuple(trouble_of(one) for one in trouble))
    sandbox.make_folder(into)
    with locked(into.resolve()):
        told = sandbox.enter(into, clean=clean, by="receive")
        if told:
            calling.remark([told])
        stand_in = Receiver(
            into / "received",
            host=address,
            ports=Ports(address, smtp, udp, tcp, tls, http),
            troubles=troubles,
            complain=lambda text: calling.remark([[screen.span(f"warning: {text}", "raised")]]),
        )
        ports = stand_in.start()
        rows = {
            "smtp": ports.smtp,
            "syslog udp": ports.syslog_udp,
            "syslog tcp": ports.syslog_tcp,
            "syslog tls": ports.syslog_tls,
            "http": ports.http,
        }
        if json:
            calling.print_json(
                {"host": ports.host, "ports": {name.replace(" ", "_"): port for name, port in rows.items()}, "into": str(into)}
            )
        else:
            lines: list[Line] = table(
                [Column(""), Column("")],
                [[span(name), span(f"{ports.host}:{port}", "place")] for name, port in rows.items()],
                80,
                2,
            )
            calling.print_lines(
                ["listening, until Ctrl-C", *lines, f"rehearse with --send --receiver {ports.host}:{ports.http}"]
            )
        sys.stdout.flush()
        _wait()
        stand_in.stop()
        sandbox.mark(into, {"state": "done", "by": "receive"})
    counts = ", ".join(f"{count} {name}" for name, count in stand_in.received.items() if count)
    calling.remark([f"received: {counts or 'nothing'}"])


def _wait() -> None:
    """Wait for Ctrl-C, or to be ended."""
    ended = threading.Event()
    for one in (signal.SIGINT, signal.SIGTERM):
        signal.signal(one, lambda *_: ended.set())
    while not ended.wait(0.2):
        pass
