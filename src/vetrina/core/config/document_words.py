"""The word that a document has for a value of a plan: the way back through a mapping's words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from vetrina.core.base.levels import Scale
from vetrina.core.documents.adopted import Adopted, Adoption
from vetrina.core.documents.words import bounds
from vetrina.core.schema.kinds import Flag, LevelKind


class NoWord(Exception):
    """The document has no word, or several, for a value."""


def written(adoption: Adoption, scale: Scale, old: Adopted, text: str) -> str:
    """Return what stands in the document for a plan's value, in place of an old one; raise NoWord with the reason."""
    if isinstance(old.kind, LevelKind):
        return level_word(adoption, scale, text, old)
    if isinstance(old.kind, Flag):
        return _flag_word(adoption, old, text)
    return _word(old, text)


def level_word(adoption: Adoption, scale: Scale, level: str, old: Adopted | None = None) -> str:
    """Return the document's word for a level: the one that it uses most, else the first of the mapping, else the plan's."""
    wanted = scale.threshold(level)

    def means(word: str) -> bool:
        meant = old.words.get(word.strip().lower()) if old is not None and old.words is not None else None
        return scale.threshold(adoption.mapping.levels(meant.text if meant is not None else word)) == wanted

    used = Counter(_used(adoption))
    for word, _ in used.most_common():
        if means(word):
            return word
    if old is not None and old.words is not None:
        turned = [word for word in old.words if means(word)]
        if len(turned) == 1:
            return turned[0]
    for word in (*_listed(adoption), *_plan_words(scale, level, wanted)):
        if means(word):
            return _in_case(word, list(used))
    raise NoWord(f"the document has no word for the level {level}")


def _used(adoption: Adoption) -> Iterator[str]:
    """Yield the words for levels that the document uses, as they stand."""
    for use in adoption.uses:
        if (
            isinstance(use.value, Adopted)
            and isinstance(use.value.kind, LevelKind)
            and not use.value.refusal
            and "${" not in use.value.text
        ):
            yield use.value.written


def _listed(adoption: Adoption) -> Iterator[str]:
    """Yield the mapping's words in order; for a range of numbers, the end nearest to nothing that is given."""
    for word, _ in adoption.mapping.level_words:
        found = bounds(word)
        if found is None:
            yield word
        else:
            end = found[0] if found[0] != float("-inf") else found[1]
            yield str(int(end)) if end.is_integer() else str(end)


def _plan_words(scale: Scale, level: str, wanted: int | None) -> Iterator[str]:
    yield level
    if wanted is not None:
        yield scale.name(wanted)


def _in_case(word: str, neighbours: list[str]) -> str:
    """Return a word in the case of its neighbours, where they agree on one."""
    words = [one for one in neighbours if any(char.isalpha() for char in one)]
    if words and all(one.isupper() for one in words):
        return word.upper()
    if words and all(one.islower() for one in words):
        return word.lower()
    if words and all(one[:1].isupper() and one[1:].islower() for one in words):
        return word.capitalize()
    return word


def _flag_word(adoption: Adoption, old: Adopted, text: str) -> str:
    flags = adoption.mapping.flags
    if text not in {"true", "false"}:
        return text
    if old.words is not None:
        turned = [word for word, meant in old.words.items() if flags(meant.text) == text]
        if len(turned) == 1:
            return _in_case(turned[0], [old.written])
        if turned or old.written.strip().lower() in old.words:
            raise NoWord(f"the mapping has {len(turned) or 'no'} words for {text} here")
    own = flags.yes if text == "true" else flags.no
    if old.written.strip().lower() not in {"true", "false"} and len(own) == 1:
        return _in_case(next(iter(own)), [old.written])
    return _in_case(text, [old.written])


def _word(old: Adopted, text: str) -> str:
    """Return a text as the document has it: words turned round where that is unique, braces single."""
    if old.words is not None:
        turned = [word for word, meant in old.words.items() if meant.text == text]
        if len(turned) == 1:
            return turned[0]
        if turned or text.lower() in old.words:
            raise NoWord(f'the mapping has {len(turned) or "no"} words for "{text[:60]}" here')
    if "${" in text.replace("$${", ""):
        raise NoWord("a placeholder would have to be written as the document writes them")
    text = text.replace("$${", "${")
    if getattr(old.kind, "braced", False):
        single = text.replace("{{", "").replace("}}", "")
        if "{" in single or "}" in single:
            raise NoWord("a plan's placeholders in { } have no place in the document")
        text = text.replace("{{", "{").replace("}}", "}")
    return text
