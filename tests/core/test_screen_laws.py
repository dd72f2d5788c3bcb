"""Tables and folded lines hold the width they are given and lose nothing."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vetrina.views.screen import Column, Line, Span, Width, columns, distinct, fit, pad, safe, shorten, span, table, wrapped

TEXT = st.text(st.sampled_from("ab é你\u0301.-/_ "), max_size=30)
WORDS = st.lists(st.text(st.sampled_from("abc你/."), min_size=1, max_size=12), max_size=12).map(" ".join)


def text_of(line: Line) -> str:
    return "".join(part.text for part in line)


def bare(text: str) -> str:
    return text.replace(" ", "")


@given(st.lists(st.tuples(WORDS, TEXT, TEXT), max_size=5), st.integers(30, 120))
def test_a_table_is_as_wide_as_it_may_be_and_holds_every_sign(rows: list[tuple[str, str, str]], width: int) -> None:
    heads = [Column("name", least=8), Column("what", least=8), Column("more", least=8)]
    cells = [[span(cell, "quiet") for cell in row] for row in rows]
    lines = [text_of(line) for line in table(heads, cells, width)]

    assert all(columns(line.rstrip()) <= width for line in lines)
    assert sorted("".join(map(bare, lines))) == sorted(
        "namewhatmore" + "".join(bare(cell.text) for row in cells for cell in row)
    )
    whole = [text_of(line) for line in table(heads, cells, Width(width, whole=True))]
    assert len(whole) == len(rows) + 1
    for row, line in zip(cells, whole[1:], strict=True):
        assert all(cell.text.strip() in line for cell in row)


@given(st.lists(st.tuples(WORDS, st.sampled_from(["", "bad", "quiet"])), max_size=4), st.integers(10, 60))
def test_a_folded_line_keeps_its_signs_and_styles(parts: list[tuple[str, str]], width: int) -> None:
    line = [Span(text, style) for text, style in parts]
    found = list(fit([line], width))

    assert all(columns(text_of(one)) <= width for one in found)
    styled = [(char, part.style) for part in line for char in part.text if char != " "]
    assert [(char, part.style) for one in found for part in one for char in part.text if char != " "] == styled
    assert list(fit([line], Width(width, whole=True))) == [line]


@given(WORDS, st.integers(12, 60), st.integers(0, 6))
def test_wrapping_breaks_at_blanks_only(text: str, width: int, indent: int) -> None:
    lines = [text_of(line) for line in wrapped(text, width, indent)]

    assert " ".join(line.strip() for line in lines).split() == text.split()
    assert all(columns(line) <= width or " " not in line.strip() for line in lines)
    assert all(line.startswith(" " * indent) for line in lines[1:])


@given(TEXT, st.integers(1, 40))
def test_shortening_and_padding(text: str, width: int) -> None:
    cut = shorten(text, width)

    assert columns(cut) <= max(width, 1)
    assert (cut == text) == (columns(text) <= width)
    assert cut == text or cut.count("…") == 1
    assert columns(pad(text, width)) == columns(pad(text, width, right=True)) == max(width, columns(text))


@given(st.lists(st.text("abcdef\x1b\n", min_size=1, max_size=20), unique=True, max_size=5), st.integers(4, 12))
def test_short_names_never_look_alike(names: list[str], width: int) -> None:
    shown = distinct(names, width)

    assert len(set(shown)) == len({safe(name) for name in names})
    assert not re.search(r"[\x00-\x1f]", "".join(shown))


@pytest.mark.parametrize(
    "text, shown",
    [
        ("plain", "plain"), ("\x1b[31m", "\\e[31m"), ("a\nb\tc\r\0", "a\\nb\\tc\\r\\0"), ("\x07", "\\x07"), ("\u202ex", "\\u202ex"),
        ("\u200b", "\\u200b"), ("\ud800", "\\ud800"), ("\U000e0001", "\\U000e0001"), ("\u2028", "\\u2028"), ("é你🚡", "é你🚡"), ("\x9b2J", "\\x9b2J"),
    ],
)  # fmt: skip
def test_what_could_steer_a_terminal_is_made_visible(text: str, shown: str) -> None:
    assert safe(text) == shown
