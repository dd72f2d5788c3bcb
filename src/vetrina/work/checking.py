"""What checks may look at besides the plan: a recording, this machine, the network."""

from __future__ import annotations

from functools import partial

from vetrina.core.checks import runner
from vetrina.core.plan.model import Plan
from vetrina.work import takers
from vetrina.work.files_over_time import Playing
from vetrina.work.recording import Recording


def circumstances(
    plan: Plan,
    recording: Recording | None = None,
    limits: dict[str, dict[str, float]] | None = None,
    *,
    probe: bool = False,
    network: bool = False,
) -> runner.Circumstances:
    """Return what is known besides the plan.

    Args:
        plan: The plan.
        recording: Events to look at; they are read twice.
        limits: Thresholds, by check and name.
        probe: Whether to look at this machine: folders, disks, git.
        network: Whether to ask for hosts and ports.
    """
    seen, rolled, paths, hosts, rush = None, None, None, None, None
    if recording is not None:
        looking = recording.gather(plan.scale, partial(takers.looking, plan), in_order=plan.remembers)
        seen, rush = looking.result(), looking.rush()
        rolled = runner.rolled_files(Playing(recording, ratio=1).files(plan)[0])  # packed sizes count as they are
    if probe or network:
        from vetrina.rehearsal import probing  # noqa: PLC0415  (sockets and git only where they are asked)

        paths = probing.probe_paths(plan) if probe else None
        hosts = probing.probe_hosts(plan) if network else None
    return runner.Circumstances(seen, paths, hosts, rolled, limits or {}, rush)
