"""A first mapping for a document in a file, and how far it reads."""

from __future__ import annotations

from pathlib import Path

from vetrina.core.base.faults import Fault, Refused, offer, refuse
from vetrina.core.base.wording import counted
from vetrina.core.documents.drafting import draft
from vetrina.core.schema.nodes import Source
from vetrina.formats.adopting import read_adopted
from vetrina.formats.documents import read_bytes
from vetrina.formats.notations import notation, notations

_VAGUE = frozenset({"cfg", "conf", "config", "txt"})
"""Endings that files of several notations have: there the text's beginning tells."""
DRAFTED = "the draft"


def draft_of(path: Path, reads: str) -> str:
    """Return a mapping for a document; ``reads`` names its notation where the file's ending does not tell."""
    name = str(path)
    data = read_bytes(path, name)
    kind = notation(_notation(path, data, reads))
    text, _ = kind.decode(data, name)
    faults: list[Fault] = []
    document = kind.read(text, Source(name, "file", text), faults.append)
    if faults:
        raise Refused(faults)
    made = draft(document)
    return made + _reached(path, name, text, made)


def _notation(path: Path, data: bytes, reads: str) -> str:
    known = notations()
    if reads:
        if reads not in known:
            raise refuse(f'no notation is called "{reads[:40]}"', fix=offer(reads, known), where="--reads")
        return reads
    kinds = [notation(one) for one in known]
    ending = path.suffix.lower().lstrip(".")
    begin = data.lstrip(b"\xef\xbb\xbf \t\r\n\xff\xfe\0")[:1].decode("latin-1")
    by_ending = next((one.name for one in kinds if ending in one.endings), "")
    by_begin = next((one.name for one in kinds if begin and one.begins == begin), "")
    found = by_begin if by_begin and (begin == "<" or ending in _VAGUE or not by_ending) else by_ending
    if not found:
        raise refuse(
            f"the ending of {path.name} does not tell its notation", fix="name it: --reads " + "|".join(known), where="--draft"
        )
    return found


def _reached(path: Path, name: str, text: str, made: str) -> str:
    """Return a remark on what the draft reads of the document, and what it leaves over."""
    faults: list[Fault] = []
    try:
        _, adoption = read_adopted(path, name, Path(DRAFTED), faults, {name: text, DRAFTED: made})
    except Refused as refused:
        faults += refused.faults
    if faults:
        return f"# as it stands, this draft does not read the document yet: {faults[0].what}\n"
    left = len(adoption.left_over)
    words = f"reads {counted(adoption.read, 'value')}"
    words += (
        f" and leaves {counted(left, 'part')} over: vetrina adopt {name} --by MAPPING --explain shows them"
        if left
        else " and leaves nothing over"
    )
    return f"# as it stands, this draft {words}\n"
