"""Names in source code, word by word: which of them are words for a level, and which are called a log."""

from __future__ import annotations

import re
from collections.abc import Mapping

from vetrina.core.base.levels import HIGHEST, THRESHOLDS, Scale

_WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|[0-9]+")
_BEFORE = ("log", "write", "emit")
_AROUND = {"log", "level", "levels", "severity", "priority"}
LOGS = frozenset({"log", "logger", "logging", "logs"})
_ENDS = ("log", "logger", "logging")
_OTHERS = frozenset({"analog", "backlog", "blog", "catalog", "changelog", "dialog", "prolog", "epilog", "weblog"})
"""Words that end like one for a log and mean something else."""
WRITES = frozenset({"log", "write", "emit"})


def words_of(name: str) -> list[str]:
    """Return the words of a name, in small letters: `LOG_ERR` and `logErr` are log, err."""
    return [word.lower() for word in _WORD.findall(name)]


def is_log_name(name: str) -> bool:
    """Tell whether a name says that it is a log: its last word, numbers aside, is log or logger, or ends so (`accesslog`)."""
    words = [word for word in words_of(name) if not word.isdigit()]
    return bool(words) and _is_log(words[-1])


def has_log(name: str) -> bool:
    """Tell whether log or logger is a word of a name."""
    return any(word == "loggers" or _is_log(word) for word in words_of(name))


def _is_log(word: str) -> bool:
    return word in LOGS or (word.endswith(_ENDS) and word not in _OTHERS)


class LevelWords:
    """The words for levels: those of a plan, and further ones with the level that each means."""

    def __init__(self, scale: Scale, further: Mapping[str, str]) -> None:
        """Take further words; each level must be known."""
        self._scale = scale
        self._further = {word.lower(): level for word, level in further.items()}
        self._known: dict[str, str | None] = {}

    def of(self, word: str) -> str | None:
        """Return the level that a word means, None for one that means none."""
        low = word.lower()
        if low in self._further:
            return self._further[low]
        severity = None if low.isdigit() else self._scale.severity(low)
        return self._scale.name(severity) if severity is not None and 1 <= severity <= HIGHEST else None

    def of_call(self, name: str) -> str | None:
        """Return the level that the name of a call says: `info`, `LogWarning`, `errorf`."""
        if name not in self._known:
            self._known[name] = self._of_call(name)
        return self._known[name]

    def _of_call(self, name: str) -> str | None:
        if (level := self.of(name)) is not None:
            return level
        words = words_of(name)
        if len(words) > 1 and words[0] in _BEFORE:
            words = words[1:]
        if len(words) != 1:
            return None
        (word,) = words
        for end in ("", "f", "ln"):
            if word.endswith(end) and (level := self.of(word[: len(word) - len(end)])) is not None:
                return level
        return None

    def of_constant(self, name: str) -> str | None:
        """Return the level of a constant: `WARN`, `LOG_ERR`, `Information`."""
        words = [word for word in words_of(name) if word not in _AROUND]
        return self.of(words[0]) if len(words) == 1 else None

    def pattern(self, *, called: bool) -> re.Pattern[bytes]:
        """Return what finds, in source code, each name that may be one of a call with a level.

        ``called`` tells that a bracket, a brace or an exclamation mark follows the name of what is called.
        """
        names = ({*self._scale.names()} - {*THRESHOLDS}) | {*self._further}
        words = "|".join(sorted(map(re.escape, names), key=len, reverse=True))
        name = rf"\b(?:(?:(?:log|write|emit)_?)?(?:{words})(?:f|ln)?|log|write|emit|exception)\b"
        return re.compile((name + (r"(?=\s*[({!<])" if called else "")).encode(), re.IGNORECASE)
