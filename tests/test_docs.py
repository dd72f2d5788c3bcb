"""What README and guide show is what the program prints."""

from __future__ import annotations

from pathlib import Path

import pytest
from docs import PAGES, ROOT, prepare, refreshed
from reference import FOLDER, pages

from support import PROGRAM
from warm import Warm


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_examples_print_what_the_page_shows(page: Path, folder: Path, warm: Warm | None) -> None:
    def call(words: list[str], cwd: Path, environment: dict[str, str]) -> str:
        assert warm is not None
        _, out, err = warm.call(PROGRAM, words, cwd, environment, b"", 120)
        return (out + err).decode()

    prepare(folder)

    assert refreshed(page, folder, call if warm is not None else None) == page.read_text(encoding="utf-8")


@pytest.mark.parametrize("name, text", pages().items(), ids=list(pages()))
def test_the_reference_is_what_the_program_works_by(name: str, text: str) -> None:
    assert (FOLDER / name).read_text(encoding="utf-8") == text, "python tools/docs.py makes it anew"


def test_links_lead_somewhere() -> None:
    import re

    for page in [*PAGES, ROOT / "CONTRIBUTING.md", *FOLDER.glob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
            assert (page.parent / target).exists(), f"{page.name}: {target}"
