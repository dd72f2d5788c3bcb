"""The gates of the ropeway: made up, to be surveyed and never run."""

import logging
from typing import Protocol

LOG = logging.getLogger("ropeway.gate")
SCANNER = LOG.getChild("scanner")
LATCH = logging.getLogger("ropeway.gate.latch")


class Gate(Protocol):
    """What a gate can do."""

    number: int

    def unlatch(self) -> int:
        """Open it, and return the milliseconds that took."""


def pass_through(gate: Gate, badge: int, ride: int, known: set[int], took: int) -> bool:
    """Let a guest through whose badge is known."""
    SCANNER.debug("read {badge} at gate {gate} in {ms} ms", extra={"badge": badge, "gate": gate.number, "ms": took})
    if badge not in known:
        SCANNER.warning("unknown badge at gate {gate}", extra={"gate": gate.number})
        return False
    try:
        LATCH.debug("latch {gate} took {ms} ms", extra={"gate": gate.number, "ms": gate.unlatch()})
    except OSError:
        LATCH.exception("latch of gate %d is stuck", gate.number)
        return False
    LOG.info("gate {gate} open for {ride}", extra={"gate": gate.number, "ride": ride})
    return True
