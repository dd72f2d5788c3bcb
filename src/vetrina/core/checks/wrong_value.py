"""wrong-value: a value that is not possible here.

Found::

    deliver: twice
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    deliver: once
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("wrong-value", "a value that is not possible here")
