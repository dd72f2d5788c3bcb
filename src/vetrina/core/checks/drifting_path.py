"""drifting-path: a path that depends on where the process was started.

A relative path is clear here (it starts from the plan's folder), but the service resolves it against its own working
directory, which differs between a shell, a service manager and a scheduler. Say `workdir`, or write the path out.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: logs/a.log}}

Fine::

    workdir: /srv/sereno
    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: logs/a.log}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find relative paths where no absolute workdir is given."""
    if scene.plan.workdir.startswith("/"):
        return
    for appender in scene.appenders(lambda sink: bool(sink.file_key)):
        key = appender.sink.traits.file_key
        path = appender.sink.text(key)
        if not path.startswith(("/", "\\")) and path[1:3] not in {":\\", ":/"}:
            yield Hit(
                appender.sink.keys[key].origin,
                f"appender {appender.name}",
                f"{appender.sink.label} is relative, and no workdir says to what",
                "the file will be elsewhere when the service is started otherwise",
                "write the path out, or give the plan an absolute workdir",
            )


CHECK = Check("drifting-path", "hint", "a path that depends on where the process was started", find)
