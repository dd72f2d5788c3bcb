"""repeated-key: a key of a document that is given again further down.

In documents of lines and of sections the last one wins; the others say nothing.

Found::

    floor = debug
    floor = warn                                      # this one counts

Fine::

    floor = warn
"""

from __future__ import annotations

from vetrina.core.checks.context import remarked_while_adopting

CHECK = remarked_while_adopting("repeated-key", "a key of a document that is given again further down")
