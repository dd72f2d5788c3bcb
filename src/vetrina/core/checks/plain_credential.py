"""plain-credential: a password in clear in the plan.

A plan is copied, sent and put under version control. Take the value from a placeholder that is filled from outside.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: mail, host: h, from: a@x.example, recipients: b@x.example, password: funicular, buffer: {age: 1 minute}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: mail, host: h, from: a@x.example, recipients: b@x.example, password: "${MAIL_PASSWORD:-}", buffer: {age: 1 minute}}}
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from vetrina.core.base.origins import Sourced
from vetrina.core.base.secrets import looks_secret
from vetrina.core.checks.context import Check, CheckContext, Hit

_USER = re.compile(r"^[a-z]+://[^/@\s]+:[^/@\s]+@")


def find(scene: CheckContext) -> Iterator[Hit]:
    """Find credentials whose text stands in the plan."""
    for appender in scene.plan.appenders.values():
        for key, one in appender.sink.keys.items():
            named = {key: one} if isinstance(one, Sourced) else one if isinstance(one, dict) else {}
            for name, value in named.items():
                if _in_clear(name, value):
                    yield Hit(
                        value.origin,
                        f"appender {appender.name}",
                        f"{name} of {appender.name} stands in clear in the plan",
                        "whoever reads the plan, or its history, has it",
                        f"write {name}: ${{SERENO_{re.sub('[^A-Z]', '_', name.upper())}}}, and give it by the environment",
                    )


def _in_clear(name: str, value: Sourced[object]) -> bool:
    if value.origin.kind in {"environment", "option", "default"} or not value.value:
        return False
    if name == "url":
        return bool(_USER.match(str(value.value)))
    return isinstance(value.value, str) and looks_secret(name)


CHECK = Check("plain-credential", "error", "a password in clear in the plan", find)
