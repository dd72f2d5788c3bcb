"""bad-expression: an expression that RE2 does not take.

Look-around and back-references are not part of RE2, which is linear on any input.

Found::

    rules: [{drop: {message: "(open"}}]
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    rules: [{drop: {message: "[(]open"}}]
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("bad-expression", "an expression that RE2 does not take")
