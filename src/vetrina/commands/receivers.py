"""The receiver that a rehearsal sends to: one that runs already, or a stand-in that is started for it."""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path
from typing import Any

from vetrina.commands import calling
from vetrina.core.base.faults import refuse


def client_of(stack: ExitStack, into: Path, receiver: str, trouble: list[str]) -> tuple[Any, Any]:
    """Return what carries deliveries to a receiver, and the stand-in where one was started for it."""
    try:
        from vetrina.rehearsal.client import Client  # noqa: PLC0415  (only where something is sent)
        from vetrina.rehearsal.standin.receiver import Receiver  # noqa: PLC0415
        from vetrina.rehearsal.standin.trouble import Troubles as Misbehaviour  # noqa: PLC0415
        from vetrina.rehearsal.standin.trouble import trouble_of  # noqa: PLC0415
    except ImportError as error:
        raise calling.missing_library("sending", str(error.name), "live", "--send") from None
    if receiver:
        if trouble:
            raise refuse(
                "the receiver that runs already has its own troubles",
                fix="give --trouble to vetrina receive",
                where="--trouble",
            )
        return Client(_ports(receiver)), None
    stand_in = Receiver(into / "received", troubles=Misbehaviour(tuple(trouble_of(one) for one in trouble)))
    stack.callback(stand_in.stop)
    return Client(stand_in.start(), lambda: stand_in.received["udp"] + stand_in.refused["udp"]), stand_in


def _ports(receiver: str) -> Any:
    """Ask a receiver that runs already where it listens."""
    import httpx  # noqa: PLC0415  (only where something is sent)
    import msgspec  # noqa: PLC0415

    from vetrina.rehearsal.client import PATIENCE, Ports, loopback  # noqa: PLC0415

    host, colon, port = receiver.rpartition(":")
    host = host.strip("[]")
    if not colon or not port.isdigit():
        raise refuse(
            "this is not HOST:PORT", fix="vetrina receive prints the address to give here", where=f"--receiver {receiver}"
        )
    address = loopback(host)
    try:
        shown = f"[{address}]" if ":" in address else address
        answer = httpx.get(f"http://{shown}:{port}/ports", timeout=PATIENCE, trust_env=False)
        return msgspec.json.decode(answer.content, type=Ports)
    except (httpx.HTTPError, httpx.InvalidURL, msgspec.DecodeError):
        raise refuse(
            "no vetrina receive answers there", fix="start one: vetrina receive --into received", where=f"--receiver {receiver}"
        ) from None
