"""placeholder: a placeholder that cannot be filled.

No source knows the name, values go round in a circle, or the form is another one.

Found::

    title: ${SERENO_NO_SUCH_NAME}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}

Fine::

    title: ${SERENO_NO_SUCH_NAME:-Sereno}
    loggers: {root: {to: a}}
    appenders: {a: {sink: none}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("placeholder", "a placeholder that cannot be filled")
