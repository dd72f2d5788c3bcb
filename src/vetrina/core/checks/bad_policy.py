"""bad-policy: a policy of rolling that contradicts itself.

It lacks a name that it needs, or asks for what cannot be.

Found::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day}}}

Fine::

    loggers: {root: {to: a}}
    appenders: {a: {sink: file, path: /x/a.log, roll: {every: day, rename-to: "/x/a-{period|%d}.log"}}}
"""

from __future__ import annotations

from vetrina.core.checks.context import told_while_reading

CHECK = told_while_reading("bad-policy", "a policy of rolling that contradicts itself")
