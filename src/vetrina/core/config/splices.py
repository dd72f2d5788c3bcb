"""Where a value is written, and the text that takes its place."""

from __future__ import annotations

from msgspec import Struct


class Target(Struct, frozen=True):
    """Where a value is to be written: `file` (the plan), `stage` (of that name, in the plan) or `layer` (that file)."""

    kind: str
    label: str

    def words(self) -> str:
        """Return it for people."""
        return {"file": self.label, "stage": f"stage {self.label} of the plan"}.get(self.kind, f"layer {self.label}")


class Splice(Struct, frozen=True):
    """``text`` in place of what stands from ``start`` to ``end`` in the text of the file ``name``."""

    name: str
    start: int
    end: int
    text: str
    target: Target

    def onto(self, whole: str) -> str:
        """Return a whole text with the splice made."""
        return whole[: self.start] + self.text + whole[self.end :]
