"""What the step `mask` hides stays hidden whatever stands beside it, and look-alikes stay."""

from __future__ import annotations

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from vetrina.core.templates.masking import Mask, luhn, masker

MASK = masker(Mask(("badge",), (r"GATE-\d{6}",)))
BESIDE = st.sampled_from(["", "12 ", "7 ", "2026-11-09 ", "REF99 ", "order ", "(", "x=1, ", "a\t", "120000 ", "ID12 ", "OK "])
AFTER = st.sampled_from(["", " 123", " 12 27", " 2026-11-09", ".", " OK", ",", "/27", " paid", "\n1", " 5 PCS"])


def whole_card(digits: str) -> str:
    """Return digits with the last one that makes them pass the Luhn check."""
    return next(digits + str(last) for last in range(10) if luhn(digits + str(last)))


def grouped(digits: str, shape: tuple[int, ...], between: str) -> str:
    parts, at = [], 0
    for size in shape:
        parts.append(digits[at : at + size])
        at += size
    return between.join(parts)


SHAPES = [(16,), (15,), (13,), (19,), (12,), (4, 4, 4, 4), (4, 6, 5), (4, 6, 4), (4, 4, 4, 4, 3)]


@st.composite
def cards(draw: st.DrawFn) -> str:
    shape = draw(st.sampled_from(SHAPES))
    digits = whole_card("".join(draw(st.lists(st.sampled_from("123456789"), min_size=sum(shape) - 1, max_size=sum(shape) - 1))))
    return grouped(digits, shape, draw(st.sampled_from([" ", "-"])))


@st.composite
def accounts(draw: st.DrawFn) -> str:
    """Return an IBAN by ISO 13616: the check digits make the moved number 1 modulo 97."""
    country = draw(st.sampled_from(["IT", "DE", "GB", "NO", "MT"]))
    length = {"IT": 23, "DE": 18, "GB": 18, "NO": 11, "MT": 27}[country]
    own = "".join(draw(st.lists(st.sampled_from("0123456789ABCXYZ"), min_size=length, max_size=length)))
    number = int("".join(str(int(char, 36)) for char in f"{own}{country}00"))
    whole = f"{country}{98 - number % 97:02}{own}"
    return " ".join(whole[at : at + 4] for at in range(0, len(whole), 4)) if draw(st.booleans()) else whole


@given(BESIDE, cards(), AFTER)
def test_a_card_number_is_hidden_whatever_stands_beside_it(before: str, card: str, after: str) -> None:
    shown = MASK(before + card + after)

    assert card not in shown
    assert card.replace(" ", "").replace("-", "")[:12] not in shown.replace(" ", "").replace("-", "")
    assert "***" in shown


@given(BESIDE, accounts(), AFTER)
def test_an_account_number_is_hidden_whatever_stands_beside_it(before: str, account: str, after: str) -> None:
    shown = MASK(before + account + after)

    assert account not in shown
    assert account.replace(" ", "")[4:14] not in shown.replace(" ", "")


@pytest.mark.parametrize(
    "text, shown",
    [
        ("card 4111111111111111 123", "card *** 123"),
        ("order 12 4111111111111111", "order 12 ***"),
        ("12 4111-1111-1111-1111 exp 12 27", "12 *** exp 12 27"),
        ("paid 4111 1111 1111 1111 2026-11-09", "paid *** 2026-11-09"),
        ("at 2026-11-09 120000 4111111111111111", "at 2026-11-09 120000 ***"),
        ("4111111111111111 5500005555555559", "*** ***"),
        ("ID12 DE89 3704 0044 0532 0130 00 x", "ID12 *** x"),
        ("DE89 3704 0044 0532 0130 00 GB82WEST12345698765432", "*** ***"),
        ("token=abc 4111111111111111 1", "token=*** *** 1"),
        ("a.berg@sereno.example,b@sereno.example", "***,***"),
        ("set password = 'it''s' now", "set password = '***''s' now"),
        ("ftp://u:p@h/x?token=t", "ftp://***@h/x?token=***"),
    ],
)
def test_neighbours_of_a_secret_stay(text: str, shown: str) -> None:
    assert MASK(text) == shown


@pytest.mark.parametrize(
    "text",
    [
        "100 200 300 400 500",
        "4111 1111 1111 1112 123",
        "2026-11-09 12:30:45 2026-11-10 12:30:45",
        "seats 1 2 3 4 5 6 7 8 9 10 11 12",
        "AB12 CDEF GHIJ KLMN OPQR",
        "DE88 3704 0044 0532 0130 00",
        "GATE A1 B2 C3 D4",
        "x4111111111111111y",
        "12345678901234567890123456789012345678901234567890",
    ],
)
def test_look_alikes_stay(text: str) -> None:
    assert MASK(text) == text


SECRETS = st.text("abcdefgh23456789", min_size=8, max_size=20)
FORMS = ["password={}", "api-key: {}", '"token": "{}"', "Authorization: Bearer {}", "https://me:{}@desk.example/x"]


@given(st.text(max_size=60), SECRETS, st.sampled_from(FORMS), st.text(max_size=60))
def test_a_credential_is_hidden_whatever_stands_on_the_lines_around_it(before: str, secret: str, form: str, after: str) -> None:
    assume(secret not in before + after)

    assert secret not in MASK(f"{before}\n{form.format(secret)}\n{after}")


@given(st.text(max_size=200))
def test_hiding_twice_hides_nothing_more_than_stars(text: str) -> None:
    once = MASK(text)

    assert MASK(once) == once or MASK(once).count("***") > once.count("***")


def test_long_lines_of_numbers_take_their_time_in_proportion() -> None:
    for text in ("4111 1111 1111 1112 " * 5000, "AB12 " * 20_000, "1 " * 50_000, "1" * 400_000):
        assert MASK(text).strip() == text.strip()
