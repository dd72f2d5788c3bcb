"""unknown-host: the name of a receiver is not known on this network.

Needs `--probe-network`.
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find hosts without an address."""
    for appender in scene.appenders(lambda sink: sink.remote):
        facts = scene.hosts.get(appender.name)
        if facts is not None and not facts.known:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"host {facts.host} is not known here",
                "nothing will be delivered",
                "check the name, and ask from the machine that the service runs on",
            )


CHECK = Check("unknown-host", "warning", "the name of a receiver is not known on this network", find, needs="network")
