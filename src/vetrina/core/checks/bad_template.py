"""bad-template: a template that cannot be read.

An unknown source or step, a missing argument, a brace without its partner; the column is that of the template.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: "{tim}"}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: none, template: "{time}"}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("bad-template", "a template that cannot be read")
