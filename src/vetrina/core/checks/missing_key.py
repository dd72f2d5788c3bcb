"""missing-key: a key that is needed is not there.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, append: false}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("missing-key", "a key that is needed is not there")
