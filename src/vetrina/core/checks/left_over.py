"""left-over: a part of a document that nothing in its mapping reads.

The mapping that reads the document says nothing of this element, attribute, text or member, so the plan leaves it out: what
it says holds in the service and not here. `vetrina adopt --explain` lays the document out beside what each part became.

Found::

    <ear for="ticket" from="warn" colour="red"/>      # and no look-up takes @colour

Fine::

    ignore: ["//@colour"]                             # in the mapping: it is meant to be left out
"""

from __future__ import annotations

from vetrina.core.checks.context import remarked_while_adopting

CHECK = remarked_while_adopting("left-over", "a part of a document that nothing in its mapping reads")
