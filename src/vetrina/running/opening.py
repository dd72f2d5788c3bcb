"""A service as its file says, with the plan that ought to hold."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from msgspec import Struct

from vetrina.core.base.errors import VetrinaError
from vetrina.core.base.levels import Scale
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.core.plan.model import Plan
from vetrina.core.services.service import Service
from vetrina.core.services.words import Words
from vetrina.formats.plans import read_resolved_plan
from vetrina.formats.services import read_service


class Given(Struct, frozen=True):
    """What a call gives for placeholders, in a service's file and in its plan."""

    env: tuple[str, ...] = ()
    env_files: tuple[str, ...] = ()


class Known(Struct, frozen=True):
    """A service, the plan that ought to hold (None where its file names none), and the words of both."""

    path: Path
    service: Service
    found: ResolvedPlan | None
    words: Words

    @property
    def plan(self) -> Plan | None:
        """The plan."""
        return None if self.found is None else self.found.plan

    @property
    def planned(self) -> list[str]:
        """The loggers that the plan has levels for, the root first; none without a plan."""
        plan = self.plan
        return [] if plan is None else ["root", *(name for name, one in plan.loggers.items() if one.enabled.value)]

    def unreached(self, error: VetrinaError) -> str:
        """Return the sentence that the service does not answer."""
        return f"{self.service.name} ({self.service.address}): {error}"


def known_service(path: Path, given: Given) -> Known:
    """Read a service's file and its plan; raise Refused with every fault."""
    service = read_service(path, env=given.env, env_files=given.env_files)
    found = plan_of(service, given)
    plan = None if found is None else found.plan
    words = Words(service, Scale() if plan is None else plan.scale, "." if plan is None else plan.separator)
    return Known(Path(os.path.realpath(path)), service, found, words)


def plan_of(service: Service, given: Given, tunes: Sequence[str] = ()) -> ResolvedPlan | None:
    """Return the plan that a service's file names, with further levels; None where it names none."""
    if service.plan is None:
        return None
    return read_resolved_plan(
        _below(service, service.plan),
        stages=service.stages,
        layers=[_below(service, one) for one in service.layers],
        env=given.env,
        env_files=given.env_files,
        tunes=tunes,
        by=None if service.by is None else _below(service, service.by),
    )


def _below(service: Service, path: str) -> Path:
    """Return a path of a service's file, as people write it here."""
    whole = os.path.normpath(os.path.join(service.folder, path))  # noqa: PTH118  (as text, links left alone)
    relative = os.path.relpath(whole)
    return Path(whole if relative.startswith("..") else relative)
