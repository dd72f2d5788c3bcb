"""What README and guide show is what the program prints."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))

from docs import PAGES, ROOT, prepare, refreshed


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_examples_print_what_the_page_shows(page: Path, folder: Path) -> None:
    prepare(folder)

    assert refreshed(page, folder) == page.read_text(encoding="utf-8")


def test_links_lead_somewhere() -> None:
    import re

    for page in [*PAGES, ROOT / "CONTRIBUTING.md"]:
        for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
            assert (page.parent / target).exists(), f"{page.name}: {target}"
