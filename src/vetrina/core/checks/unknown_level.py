"""unknown-level: a level that no name or number means.

It would be ignored in silence elsewhere; here it stops every command but this one.

Found::

    loggers: {root: {to: a}, ropeway: debgu}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a}, ropeway: debug}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("unknown-level", "a level that no name or number means")
