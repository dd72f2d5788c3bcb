"""From a document's bytes to text and back: a byte-order mark, a declaration, else UTF-8."""

from __future__ import annotations

import codecs

from vetrina.formats.documents import unreadable

_MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)


def decoded(data: bytes, name: str, declared: str = "") -> tuple[str, str]:
    """Return the text without its byte-order mark, and its codec (` with a mark` after it where there was one).

    ``declared`` is what the document says of itself. Raise Unreadable at the first byte that is no text.
    """
    mark, codec = next(((mark, codec) for mark, codec in _MARKS if data.startswith(mark)), (b"", declared or "utf-8"))
    codec = _known(codec, name)
    try:
        text = data[len(mark) :].decode(codec)
    except UnicodeDecodeError as error:
        before = data[len(mark) : len(mark) + error.start].decode(codec, "replace")
        line, column = before.count("\n") + 1, len(before) - (before.rfind("\n") + 1) + 1
        raise unreadable(
            name, f"byte 0x{data[len(mark) + error.start]:02x} is not {codec.upper()}",
            f"the document is read as {codec.upper()}" + (", as it declares" if declared and not mark else ""),
            "save it in that encoding, or declare the one that it is in" if declared else "save the file as UTF-8",
            line, column,
        ) from None  # fmt: skip
    nul = text.find("\0")
    if nul >= 0:
        raise unreadable(
            name, "the text holds a NUL character", "this looks like a binary file", "", text.count("\n", 0, nul) + 1, 1
        )
    codec += _WITH_MARK if mark else ""
    if encoded(text, codec) != data:
        raise unreadable(
            name, f"as {codec.upper()} the document would not be written back byte for byte", "", "save it as UTF-8"
        )
    return text, codec


_WITH_MARK = " with a mark"


def encoded(text: str, codec: str) -> bytes:
    """Return the bytes of a text in a codec that `decoded` named; raise UnicodeEncodeError where it has no such character."""
    bare = codec.removesuffix(_WITH_MARK)
    mark = next((mark for mark, name in _MARKS if name == bare), b"") if bare != codec else b""
    return mark + text.encode(bare)


def text_of(data: bytes, codec: str) -> str:
    """Return the text of bytes in a codec that `decoded` named; raise UnicodeDecodeError where they are none."""
    bare = codec.removesuffix(_WITH_MARK)
    mark = encoded("", codec)
    return data.removeprefix(mark).decode(bare)


def _known(codec: str, name: str) -> str:
    """Return a text encoding's own name; raise Unreadable for one that Python does not know, or that is none of texts."""
    try:
        "a".encode(codec)
        found = codecs.lookup(codec).name
    except (LookupError, ValueError):
        found = ""
    if found in {"", "idna", "punycode", "undefined"} or "escape" in found:
        raise unreadable(name, f'the encoding "{codec[:40]}" is not known', "the document declares it", "save it as UTF-8")
    return found
