"""takes-nothing: an item of a mapping that takes no part of the document.

Its path leads nowhere: a misspelt name, or a document that has no such part.

Found::

    loggers: [{each: //eer, name: "@for"}]            # the document has <ear>

Fine::

    loggers: [{each: //ear, name: "@for"}]
"""

from __future__ import annotations

from vetrina.core.checks.context import remarked_while_adopting

CHECK = remarked_while_adopting("takes-nothing", "an item of a mapping that takes no part of the document")
