"""Levels read back: in every spelling that a plan reads, padded or not."""

from __future__ import annotations

import re

from vetrina.core.base.levels import HIGHEST, LOWEST, Scale
from vetrina.core.templates.compiling import TextTemplate
from vetrina.core.templates.language import Placeholder
from vetrina.core.templates.undoing import applying

_PADS = frozenset({"pad", "pad-left"})


class Levels(dict[str, int]):
    """What a level placeholder writes to its severity, and every other spelling that a plan reads, as it is met."""

    def __init__(self, one: Placeholder, template: TextTemplate) -> None:
        """Write every severity, name and alias through the placeholder's steps; what the scale shows wins."""
        super().__init__()
        scale = template.setting.scale
        apply = applying(one, template)
        self._pads_left = any(step.name == "pad-left" for step in one.steps)
        shown = sorted(range(LOWEST, HIGHEST + 1), key=lambda severity: scale.name(severity).isdigit())
        for severity in shown:
            self.setdefault(apply(scale.name(severity) if one.source == "level" else str(severity)), severity)
        self.exact = frozenset(self)
        bare = applying(one, template, without=_PADS)
        self._loose: dict[str, int] = {}
        for text, severity in self._spellings(one, scale, shown):
            self._loose.setdefault(bare(text).strip().casefold(), severity)
        self._loose.pop("", None)

    @staticmethod
    def _spellings(one: Placeholder, scale: Scale, shown: list[int]) -> list[tuple[str, int]]:
        if one.source == "severity":
            return [(str(severity), severity) for severity in shown]
        names = [(name, found) for name in scale.names() if (found := scale.severity(name)) is not None]
        numbers = [(str(severity), severity) for severity in shown]
        return [*((scale.name(severity), severity) for severity in shown), *names, *numbers]

    def __missing__(self, text: str) -> int:
        """Return the severity of another spelling; raise KeyError for none."""
        return self._loose[text.strip(" ").casefold()]

    def expression(self, following: str) -> str:
        """Return the expression of a level before a literal: as the template writes it, else in any spelling and padding.

        Blanks that the literal begins with are left to it.
        """
        literal = re.escape(following)
        written = "|".join(map(re.escape, sorted(self.exact, key=_names_first)))
        loose = "|".join(map(re.escape, sorted(self._loose, key=_names_first)))
        left = " *" if self._pads_left else ""
        blanks = f" *?(?={literal})" if following else " *"
        return (
            f"(?:{written})(?={literal})|{left}(?i:{loose}){blanks}" if following else f"{written}|{left}(?i:{loose}){blanks}"
        )


def _names_first(text: str) -> tuple[bool, int]:
    """Sort key: names before numbers, which are rare; of each, the longest first, so that none ends inside another."""
    return text.strip().isdigit(), -len(text)


class LevelNames(dict[str, str]):
    """A level's text to the name that the scale shows for it."""

    def __init__(self, levels: Levels, scale: Scale) -> None:
        super().__init__({text: scale.name(levels[text]) for text in levels})
        self._levels, self._scale = levels, scale

    def __missing__(self, text: str) -> str:
        return self._scale.name(self._levels[text])


def shown_words(one: Placeholder, template: TextTemplate) -> str:
    """Return the expression of every name and alias as a level placeholder writes it, without its padding."""
    bare = applying(one, template, without=_PADS)
    scale = template.setting.scale
    words = {bare(name).strip() for name in scale.names() if scale.severity(name) is not None} - {""}
    return "|".join(map(re.escape, sorted(words, key=len, reverse=True)))
