"""Whether version control ignores a file, by the rules that lie in the tree (gitignore): read, never asked for.

A repository is anybody's, and its own settings can make git execute what they say; so git is not run, no setting of a
repository is read, and rules are taken from regular files of bounded size alone. The user's own settings count
(`core.excludesFile`). What is tracked although a rule ignores it is not known here.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Callable, Iterator
from pathlib import Path

from pathspec import GitIgnoreSpec

_LONGEST = 1 << 20
_SECTION = re.compile(r"\s*\[\s*([\w.-]+)\s*(\"[^\"]*\")?\s*\]")
_EXCLUDES = re.compile(r"(?i)\s*excludesfile\s*=\s*\"?([^\"#;\n]*?)\"?\s*(?:[#;].*)?")
_END = re.compile(r"(?<!\\) +\Z|\r\Z")
_Rules = Callable[[str], bool | None]


class IgnoreRules:
    """Tells whether files are ignored; what was read is kept, for the files after it."""

    def __init__(self) -> None:
        self._known: dict[Path, _Rules] = {}
        self._own: _Rules | None = None

    def ignored(self, file: Path) -> bool | None:
        """Return whether a rule ignores a file, or a folder that it lies in; None outside a work tree."""
        file = Path(os.path.abspath(file))  # noqa: PTH100  (a link on the way counts as it is called)
        top = next((one for one in file.parents if _marks_work_tree(one / ".git")), None)
        if top is None:
            return None
        parts = file.relative_to(top).parts
        for depth in range(1, len(parts) + 1):
            is_folder = depth < len(parts) or file.is_dir()
            if self._decided(top, parts[:depth], is_folder=is_folder):
                return True
        return False

    def _decided(self, top: Path, parts: tuple[str, ...], *, is_folder: bool) -> bool:
        """Tell what the rules say of one folder or file: those of the nearest folder first, then the work tree's, then the user's."""
        end = "/" if is_folder else ""
        for depth in range(len(parts) - 1, -1, -1):
            told = self._of(top.joinpath(*parts[:depth], ".gitignore"))("/".join(parts[depth:]) + end)
            if told is not None:
                return told
        if self._own is None:
            self._own = _rules(_own_file())
        whole = "/".join(parts) + end
        return next((told for one in (self._of(_exclude_file(top)), self._own) if (told := one(whole)) is not None), False)

    def _of(self, file: Path) -> _Rules:
        if file not in self._known:
            self._known[file] = _rules(file)
        return self._known[file]


def _marks_work_tree(git: Path) -> bool:
    try:
        mode = git.stat().st_mode
    except (OSError, ValueError):
        return False
    return stat.S_ISREG(mode) or (stat.S_ISDIR(mode) and (git / "HEAD").exists())


def _exclude_file(top: Path) -> Path:
    """Return the file of rules that lies in the repository and not in the tree."""
    git = top / ".git"
    if git.is_file():
        told = _text(git).removeprefix("gitdir:").strip()
        git = top / told if told and "\n" not in told else git
        common = _text(git / "commondir").strip()
        git = git / common if common and "\n" not in common else git
    return git / "info" / "exclude"


def _own_file() -> Path:
    """Return the file of the user's own rules, for all work trees."""
    try:
        home = Path.home()
    except RuntimeError:
        return Path(os.devnull)
    settings = Path(os.environ.get("XDG_CONFIG_HOME") or home / ".config") / "git"
    found = settings / "ignore"
    for file in (settings / "config", home / ".gitconfig"):
        found = next(iter([*_excludes_told(_text(file), home)][-1:]), found)
    return found


def _excludes_told(text: str, home: Path) -> Iterator[Path]:
    section = ""
    for line in text.splitlines():
        head = _SECTION.match(line)
        section = head[1].lower() if head and not head[2] else "" if head else section
        told = _EXCLUDES.fullmatch(line[head.end() :] if head else line)
        if section == "core" and told and told[1]:
            yield home / told[1].removeprefix("~/") if told[1].startswith("~/") else Path(told[1])


def _rules(file: Path) -> _Rules:
    """Return what tells whether a path is ignored by the rules of a file: the last one that is about it; None where none is."""
    rules = [one for line in _text(file, follow=file.name != ".gitignore").splitlines() if (one := _rule(line)) is not None]

    def told(path: str) -> bool | None:
        return next((ignores for ignores, about in reversed(rules) if about(path)), None)

    return told


def _rule(line: str) -> tuple[bool, Callable[[str], bool]] | None:
    """Return whether a rule ignores, and what tells whether it is about a path itself, not a folder above it; None for no rule.

    The library's patterns match what lies below a folder as well: so each is asked about just as many of a path's last
    segments as it has itself, behind a `**` as many as stand there.
    """
    body = _END.sub("", line)
    ignores, body = not body.startswith("!"), body.removeprefix("!")
    try:
        whole = GitIgnoreSpec.from_lines([body])
        if not body or body.startswith("#") or not body.strip("/") or not len(whole):
            return None
        anchored, only_folders = "/" in body.rstrip("/"), body.endswith("/")
        segments = body.strip("/").split("/") if anchored else [body.rstrip("/")]
        last = len(segments) - 1 - segments[::-1].index("**") if anchored and "**" in segments else None
        tail = segments if last is None else segments[last + 1 :]
        end = GitIgnoreSpec.from_lines(["/" + "/".join(tail) + "/" * only_folders]) if tail else whole
    except ValueError:
        return None

    def about(path: str) -> bool:
        parts = path.rstrip("/").split("/")
        if (anchored and last is None and len(parts) != len(tail)) or len(parts) < len(tail):
            return False
        near = "/".join(parts[-len(tail) :]) + "/" * path.endswith("/") if tail else path
        return end.match_file(near) and (last is None or whole.match_file(path))

    return ignores, about


def _text(file: Path, *, follow: bool = True) -> str:
    """Return the text of a regular file of bounded size, nothing for another one."""
    try:
        handle = os.open(file, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | (0 if follow else os.O_NOFOLLOW))
    except (OSError, ValueError):
        return ""
    with os.fdopen(handle, "rb") as stream:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            return ""
        return stream.read(_LONGEST).decode("utf-8", "surrogateescape")
