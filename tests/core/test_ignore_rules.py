"""Whether a file is ignored: what the rules of a tree say, held against git itself."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from vetrina.rehearsal.ignore_rules import IgnoreRules

NAMES = st.sampled_from(["logs", "a.log", "b.log", "keep", "x y", "old"])
PATHS = st.lists(NAMES, min_size=1, max_size=4).map("/".join)
LINES = st.one_of(
    PATHS,
    st.sampled_from(
        ["*.log", "!*.log", "!keep", "logs/", "/logs", "/a.log", "**/old", "old/**", "logs/*.log", "!logs/", "# no", "", "\\", "a[", "[ab].log", "x\\ y", "*", "!*/", "?.log", "b.log  "]
    ),
)  # fmt: skip
RULES = st.lists(LINES, max_size=4)


@pytest.mark.skipif(shutil.which("git") is None, reason="git says what is right, and is not installed")
@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(RULES, RULES, RULES, RULES, st.lists(PATHS, min_size=1, max_size=8))
def test_what_is_ignored_is_what_git_ignores(
    tmp_path_factory: pytest.TempPathFactory,
    top: list[str],
    below: list[str],
    exclude: list[str],
    own: list[str],
    paths: list[str],
) -> None:
    root = tmp_path_factory.mktemp("tree")
    home, tree = root / "home", root / "tree"
    (home / ".config" / "git").mkdir(parents=True)
    subprocess.run(["git", "init", "-q", str(tree)], check=True, capture_output=True)
    for file, lines in (
        (tree / ".gitignore", top),
        (tree / "logs" / ".gitignore", below),
        (tree / ".git" / "info" / "exclude", exclude),
        (home / ".config" / "git" / "ignore", own),
    ):
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text("".join(f"{line}\n" for line in lines))
    environment = {"PATH": os.environ["PATH"], "HOME": str(home), "GIT_CONFIG_NOSYSTEM": "1"}
    asked = "".join(f"{path}\0" for path in paths).encode()
    told = subprocess.run(
        ["git", "-C", str(tree), "check-ignore", "--no-index", "-z", "--stdin"], env=environment, input=asked, capture_output=True, check=False
    ).stdout.decode()  # fmt: skip
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("HOME", str(home))
        patch.delenv("XDG_CONFIG_HOME", raising=False)
        rules = IgnoreRules()
        found = {path for path in paths if rules.ignored(tree / path)}

    assert found == set(filter(None, told.split("\0")))


def test_the_users_own_file_counts_and_outside_a_work_tree_nothing_is_said(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.delenv("XDG_CONFIG_HOME", raising=False)
    (tmp_path / ".gitconfig").write_text('[user]\n name = x\n excludesFile = no\n[core]\n excludesFile = "~/mine" ; here\n')
    (tmp_path / "mine").write_text("*.log\n")
    tree = tmp_path / "tree"
    (tree / ".git").mkdir(parents=True)

    assert IgnoreRules().ignored(tree / "a.log") is None
    (tree / ".git" / "HEAD").write_text("ref: refs/heads/main\n")
    assert (IgnoreRules().ignored(tree / "a.log"), IgnoreRules().ignored(tree / "a.txt")) == (True, False)
