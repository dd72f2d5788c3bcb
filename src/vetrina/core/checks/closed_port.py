"""closed-port: nobody listens at a receiver's port.

UDP cannot be asked. Needs `--probe-network`.
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find ports that take no connection."""
    for appender in scene.appenders(lambda sink: sink.remote):
        facts = scene.hosts.get(appender.name)
        if facts is not None and facts.known and facts.asked_port and not facts.open:
            yield Hit(
                appender.origin,
                f"appender {appender.name}",
                f"nobody listens at {facts.host}:{facts.port}",
                "nothing will be delivered while that is so",
                "start the receiver, or mend host and port",
            )


CHECK = Check("closed-port", "warning", "nobody listens at a receiver's port", find, needs="network")
