"""wrong-type: a value of another kind than is wanted.

A plain value is typed by YAML 1.2: `5` is a number, `true` a boolean, and `off` a text.

Found::

    loggers: {root: {to: a, climb: "yes"}}
    appenders: {a: {sink: none}}

Fine::

    loggers: {root: {to: a, climb: true}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("wrong-type", "a value of another kind than is wanted")
