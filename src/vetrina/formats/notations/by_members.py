"""What notations of objects with named members share: UTF-8 unless a byte-order mark says otherwise, and JSONPath."""

from __future__ import annotations

from collections.abc import Mapping

from vetrina.core.documents.notation import Path
from vetrina.formats.notations.encodings import decoded


class ByMembers:
    """The beginning of such a notation."""

    whole = "$"

    def decode(self, data: bytes, name: str) -> tuple[str, str]:
        """Return the text and its codec: by the byte-order mark, else UTF-8."""
        return decoded(data, name)

    def path(self, text: str, spaces: Mapping[str, str]) -> Path:
        """Return a compiled JSONPath."""
        from vetrina.formats.notations.json_paths import compiled  # noqa: PLC0415  (only mappings need it)

        return compiled(text, spaces)
