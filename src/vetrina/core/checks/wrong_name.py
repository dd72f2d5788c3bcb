"""wrong-name: a name that cannot be used.

A level's name that is built in, a value that no placeholder could ask for.

Found::

    levels: {debug: 3}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    levels: {wire: 3}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("wrong-name", "a name that cannot be used")
