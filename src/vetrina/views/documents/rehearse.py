"""`rehearse --json` and `receive --json`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from vetrina.views.rehearse import Sum


class RehearsedAppender(Struct):
    """What one appender did: `waited` were in its buffer at the end; `lost` and `failed` (deliveries) by reason."""

    appender: str
    sink: str
    reached: int
    delivered: int
    groups: int
    median_late_seconds: float
    longest_late_seconds: float
    waited: int
    lost: dict[str, int]
    failed: dict[str, int]


class RehearsedFile(Struct):
    """A file below the folder."""

    path: str
    bytes: int


class Verified(Struct):
    """Whether simulation and rehearsal agree; the first few differences."""

    agrees: bool
    differences: list[str]


class Rehearse(Struct):
    """`rehearse --json`; `mapping` and `dialled` say where the plan's paths and hosts were put instead."""

    events: int
    unreadable: int
    folder: str
    appenders: list[RehearsedAppender]
    files: list[RehearsedFile]
    mapping: dict[str, str]
    dialled: dict[str, str]
    verified: Verified | None


class Receive(Struct):
    """`receive --json`, printed when it listens."""

    host: str
    ports: dict[str, int]
    into: str


def document(
    events: int,
    unreadable: int,
    folder: str,
    sums: Mapping[str, tuple[str, Sum]],
    files: Sequence[tuple[str, int]],
    mapping: Mapping[str, str],
    dialled: Mapping[str, str],
    differences: Sequence[str] | None,
) -> Rehearse:
    """Return what a rehearsal did as a document."""
    return Rehearse(
        events,
        unreadable,
        folder,
        [_appender(name, sink, one) for name, (sink, one) in sums.items()],
        [RehearsedFile(path, size) for path, size in files],
        dict(mapping),
        dict(dialled),
        None if differences is None else Verified(not differences, list(differences)),
    )


def _appender(name: str, sink: str, one: Sum) -> RehearsedAppender:
    return RehearsedAppender(
        name,
        sink,
        one.reached,
        one.delivered,
        one.groups,
        one.late.median,
        one.late.longest,
        one.waited,
        one.lost,
        one.failed,
    )
