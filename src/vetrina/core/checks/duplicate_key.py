"""duplicate-key: a key that is given twice.

Elsewhere the second wins in silence.

Found::

    loggers: {root: {to: a}, root: {level: info}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a, level: info}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("duplicate-key", "a key that is given twice")
