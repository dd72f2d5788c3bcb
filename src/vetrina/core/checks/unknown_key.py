"""unknown-key: a key that no part of a plan has.

It would be ignored in silence elsewhere; the nearest known key is offered.

Found::

    logers: {}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("unknown-key", "a key that no part of a plan has")
