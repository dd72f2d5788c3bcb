"""A change written into a document in another format: the new value at the old one's place, every other byte kept.

Here: which part holds a value, and why one cannot be written. A value that was matched, split, joined, referred to or
translated is refused with what to write by hand. Not here: entries that are not there yet (new_entries.py).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from vetrina.core.base.faults import Place, Refused, refuse
from vetrina.core.config.document_words import NoWord, level_word, written
from vetrina.core.config.merging import PathStep
from vetrina.core.config.new_entries import new_logger
from vetrina.core.config.placeholders import typed
from vetrina.core.config.resolution import ResolvedPlan, SetOption
from vetrina.core.config.splices import Splice, Target
from vetrina.core.documents.adopted import Adopted, Adoption
from vetrina.core.documents.tree import Part
from vetrina.core.schema.nodes import Listing, Mapping, Node, Scalar


def splice_document(found: ResolvedPlan, edit: SetOption, steps: Sequence[PathStep], target: Target) -> Splice:
    """Return the splice that writes one value into the document; raise Refused where none would do."""
    adoption = found.adoption
    assert adoption is not None  # noqa: S101  (asked only of documents)
    new = edit.node
    if not isinstance(new, Scalar) or new.is_null():
        what = "only single values are written into a document in another format"
        raise refuse(what, "what else would change there is for its maker's format to say", "change it by hand, or in a layer (--into)",
                     where=edit.source.name)  # fmt: skip
    base: Node = found.shaped
    if target.kind == "stage":
        steps = (PathStep("stages"), PathStep(target.label), *steps)
    old = _decided(base, steps)
    if isinstance(old, Adopted) and old.part is not None:
        return _replaced(found, adoption, old, new.text, target)
    if old is not None:
        raise _by_hand(old.place, "the mapping says this value, not the document", new.text)
    return _added(found, adoption, edit, steps, target, new.text)


def _added(
    found: ResolvedPlan, adoption: Adoption, edit: SetOption, steps: Sequence[PathStep], target: Target, text: str
) -> Splice:
    """Return the splice for a value that the document does not give yet: the level of a logger, where the mapping says how."""
    name = ".".join(str(one.name) for one in steps)
    if target.kind == "stage" or len(steps) != 3 or steps[0].name != "loggers" or steps[2].name != "level":
        raise refuse(f"the document does not say {name[:80]}", "a mapping tells how a new logger is written, and nothing else that is new",
                     "write it by hand, or into a layer: --into FILE", where=edit.source.name)  # fmt: skip
    if adoption.mapping.new_logger is None:
        there = _entry(found.shaped, steps[1].name)
        what = (
            f"logger {steps[1].name[:80]} has no level in the document"
            if there
            else f"there is no logger {steps[1].name[:80]} in the document"
        )
        raise refuse(what, f"{adoption.mapping.name} does not say how a new one is written (new: logger:)",
                     f"write it by hand, at {there.place}" if there else "write it by hand, or into a layer: --into FILE",
                     where=edit.source.name)  # fmt: skip
    try:
        word = level_word(adoption, found.plan.scale, text)
    except NoWord as reason:
        raise refuse(str(reason), "", "add it to the mapping's levels", where=edit.source.name) from None
    return new_logger(adoption, steps[1].name, word, target, edit.source.name)


def _entry(node: Node, name: str) -> Scalar | None:
    """Return the last key under which a logger's entry stands."""
    loggers = node.get("loggers") if isinstance(node, Mapping) else None
    keys = [key for key, _ in loggers.pairs if key.text == name] if isinstance(loggers, Mapping) else []
    return keys[-1] if keys else None


def _decided(node: Node, steps: Sequence[PathStep]) -> Scalar | None:
    """Return the value at a path that counts: of entries that are laid over each other, the last that says it."""
    values = [one for one in _values(node, steps) if isinstance(one, Scalar)]
    return values[-1] if values else None


def _values(node: Node, steps: Sequence[PathStep]) -> Iterator[Node]:
    if not steps:
        yield node
    elif isinstance(node, Listing):
        at = steps[0].position
        if at is not None and at < len(node.items):
            yield from _values(node.items[at], steps[1:])
    elif isinstance(node, Mapping):
        for key, value in node.pairs:
            if key.text == steps[0].name:
                yield from _values(value, steps[1:])


def _replaced(found: ResolvedPlan, adoption: Adoption, old: Adopted, text: str, target: Target) -> Splice:
    part = old.part
    assert part is not None  # noqa: S101  (asked only of values from the document)
    if old.refusal:
        raise _by_hand(old.place, f"it cannot be written back: {old.refusal}", text)
    if "${" in old.text.replace("$${", ""):
        raise _by_hand(old.place, f"a placeholder decides this value: {old.written[:60]}", text)
    holder = _text_of(part)
    try:
        word = written(adoption, found.plan.scale, old, text)
    except NoWord as reason:
        raise _by_hand(old.place, str(reason), text) from None
    plain = isinstance(typed(word), bool | int | float)
    shown = None if holder is None else adoption.notation.rendered(holder, word, plain=plain)
    if holder is None or shown is None:
        raise _by_hand(old.place, "it stands there in a way that cannot be replaced in place", text)
    return Splice(part.document.source.name, holder.start, holder.end, shown, target)


def _text_of(part: Part) -> Part | None:
    """Return the part whose text is replaced: an element's one text, else the part itself."""
    if part.kind != "element":
        return part
    texts = [one for one in part.texts() if one.text.strip()]
    return texts[0] if len(texts) == 1 and texts[0].parent is part else None


def _by_hand(place: Place, why: str, text: str) -> Refused:
    return refuse(
        "this value is not written by apply", why, f"write by hand there what the document has for: {text[:200]}", place=place
    )
