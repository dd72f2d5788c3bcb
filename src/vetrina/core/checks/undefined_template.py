"""undefined-template: an appender names a template that is not defined.

A template is a name if there is such a name, else a text with at least one `{`.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: shrt}}
    templates: {}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: short}}
    templates: {short: "{message}"}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("undefined-template", "an appender names a template that is not defined")
