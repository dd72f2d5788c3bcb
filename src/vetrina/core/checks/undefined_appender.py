"""undefined-appender: a logger names an appender that is not defined.

What was meant to arrive there arrives nowhere.

Found::

    loggers: {root: {to: [a, dayboook]}}
    appenders: {a: {sink: none}, daybook: {sink: none}}

Fine::

    loggers: {root: {to: [a, daybook]}}
    appenders: {a: {sink: none}, daybook: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("undefined-appender", "a logger names an appender that is not defined")
