"""Words that go with a number."""

from __future__ import annotations


def plural(count: int, noun: str) -> str:
    """Return a noun in the number that goes with ``count``: `1 event`, `2 events`, `2 classes`, `2 deliveries`, `2 days`."""
    if count == 1:
        return noun
    if noun.endswith("y") and noun[-2:-1] not in "aeou":
        return f"{noun[:-1]}ies"
    return f"{noun}es" if noun.endswith("s") else f"{noun}s"


def spaced(count: int) -> str:
    """Return a count with a blank between thousands, as SI writes them."""
    return f"{count:,}".replace(",", " ")


def counted(count: int, noun: str) -> str:
    """Return `1 key`, `2 000 keys`."""
    return f"{spaced(count)} {plural(count, noun)}"
