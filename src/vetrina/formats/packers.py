"""How small content becomes, measured by packing it."""

from __future__ import annotations

from vetrina.core.rolling.codecs import compressor

_CHUNK = 1 << 16


class MeasuringPacker:
    """Packs what it is fed and counts the bytes that come out."""

    def __init__(self, codec: str) -> None:
        """Begin for a codec: `.gz`, `.zst`, `.xz` or `.bz2`."""
        self._codec = compressor(codec)
        self._size = 0

    def feed(self, data: bytes, times: int) -> None:
        """Pack the same content several times, piece by piece."""
        together = max(1, _CHUNK // max(1, len(data)))
        while times > 0:
            now = min(times, together)
            self._size += len(self._codec.compress(data * now))
            times -= now

    def size(self) -> int:
        """Return the bytes of everything, packed."""
        return self._size + len(self._codec.flush())
