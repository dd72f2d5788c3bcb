"""shared-limit: a limit on errors that all loggers share.

It counts events of every logger and level together: a chatty one uses the share of an error up. `same` with level, logger,
text or message gives each its own.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, limit: {events: 5, per: 1 minute}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, limit: {events: 5, per: 1 minute, same: [logger]}}}
"""

from __future__ import annotations

from collections.abc import Iterator

from vetrina.core.checks.context import ERROR, Check, CheckContext, Hit


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find limits that errors may come to and that do not tell them apart."""
    for appender in scene.appenders():
        limit = appender.limit
        if limit is None or {"level", "logger", "text", "message"} & set(limit.same):
            continue
        passing = scene.passing(appender)
        if passing is not None and passing[1] >= ERROR:
            yield Hit(
                limit.origin,
                f"appender {appender.name}",
                f"errors share the limit of {appender.name} with everything else: {limit.words()}",
                "a logger that says much uses the share up, and the error of another one is stopped",
                "count each logger, or each level, by itself",
                f"--set 'appenders[{appender.name}].limit.same=[logger, level]'",
            )


CHECK = Check("shared-limit", "warning", "a limit on errors that all loggers share", find)
