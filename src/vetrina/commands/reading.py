"""How a call's events are read: by whom, with what shown meanwhile, and whether the files stayed as they were."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING

from vetrina.commands import calling, unknown_names
from vetrina.commands.progress import watched
from vetrina.core.base.faults import refuse
from vetrina.formats.remote import is_url
from vetrina.formats.sources import Source
from vetrina.formats.steady import Standing
from vetrina.views.screen import number
from vetrina.work.engines import workers_of

if TYPE_CHECKING:
    from vetrina.core.plan.model import Plan
    from vetrina.formats.inputs import Inputs
    from vetrina.work.jobs import Engine


@contextmanager
def reading(
    inputs: Inputs, workers: str, cluster: str, *, prints: bool = False, plans: Sequence[Plan] = ()
) -> Iterator[Engine | None]:
    """Yield who reads these inputs, None for this process alone; what ``prints`` while it reads shows no bar on its terminal.

    Where one of ``plans`` decides on events in their order, workers that were asked for are told to make no difference.
    """
    if workers not in {"auto", "1"} and not cluster and any(one.remembers for one in plans):
        calling.remark(
            [
                "note: limits, recalls and queues decide in the order of the events: one process plays them, whatever --workers says"
            ]
        )
    standing = Standing(inputs)
    with watched(inputs, prints=prints), _engine(inputs, workers, cluster) as engine:
        yield engine
    for name, before, now in standing.grown(apart=engine is not None):
        words = f"note: {name} grew while it was read, from {number(before)} to {number(now)} bytes: its end may not be in it"
        calling.remark([words])
    if plans and not cluster:
        tell_unknown_names(inputs)


def tell_unknown_names(inputs: Inputs) -> None:
    """Tell which names in options neither the plan nor these events know; of events that can be read only once, later, the plan alone tells."""
    if not inputs.only_once:
        unknown_names.tell_unknown([Source(one) for one in inputs.parts], inputs.label)


@contextmanager
def _engine(inputs: Inputs, workers: str, cluster: str) -> Iterator[Engine | None]:
    if not cluster:
        far = next((one.path for one in inputs.parts if is_url(one.path)), None)
        if far is not None:
            raise refuse("a URL is read by a cluster", fix="add --cluster local:2, or --cluster tcp://HOST:PORT", where=far)
        found = workers_of(workers, inputs)
        try:
            yield found
        finally:
            if found is not None:
                found.close()
        return
    calling.exclude("--cluster", cluster, {"--workers": "" if workers == "auto" else workers})
    from vetrina.work.cluster import cluster_of  # noqa: PLC0415  (the libraries of a cluster are slow to load)

    with cluster_of(cluster, inputs) as engine:
        yield engine
