"""What the step `mask` hides: secrets and personal data, each by the standard that gives it its form.

Credentials by the name before them, bearer and basic credentials (RFC 6750, RFC 7617), JSON Web Tokens (RFC 7519),
PEM private keys (RFC 7468), user information in URLs (RFC 3986), e-mail addresses, card numbers that pass the Luhn
check (ISO/IEC 7812), IBANs that pass mod 97 (ISO 13616), and a plan's own patterns (RE2).
"""

from __future__ import annotations

import re
from collections.abc import Callable

from msgspec import Struct

from vetrina.core.base.expressions import BadExpression
from vetrina.core.base.hidden import MASK
from vetrina.core.base.secrets import CREDENTIALS, fold_name

_PEM = r"-----BEGIN [A-Z0-9 ]{0,40}PRIVATE KEY-----[\s\S]*?(?:-----END [A-Z0-9 ]{0,40}PRIVATE KEY-----|\z)"
_JWT = r"\beyJ[A-Za-z0-9_-]+\.[A-Za-z0-9_-]+\.[A-Za-z0-9_-]*"
_SCHEME = r"(?i)\b(bearer|basic)(\s+)[A-Za-z0-9._~+/-]+=*"
_URL_USER = r"([A-Za-z][A-Za-z0-9+.-]*://)[^\s/?#@]+@"
_MAIL = r"[A-Za-z0-9.!#$%&'+?^_`{|}~-]+@[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?(?:\.[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?)+"
_CARD = r"\b[0-9](?:[ -]?[0-9]){11,}\b"
_IBAN = r"\b[A-Z]{2}[0-9]{2}(?: ?[A-Z0-9]){11,}\b"
_DIGITS = re.compile("[0-9]+")
_IBAN_START = re.compile("[A-Z]{2}[0-9]{2}")
_NUMBERS = {ord(letter): str(int(letter, 36)) for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ"}
_CARD_GROUPS = ((4, 4, 4, 4, 3), (4, 4, 4, 4), (4, 6, 5), (4, 6, 4))
"""How the digits of a card number are printed in groups, where other numbers stand beside it."""


def luhn(digits: str) -> bool:
    """Tell whether digits pass the Luhn check of ISO/IEC 7812."""
    total = 0
    for at, digit in enumerate(reversed(digits)):
        value = int(digit) * (2 if at % 2 else 1)
        total += value - 9 if value > 9 else value
    return total % 10 == 0


def _words_of_iban(words: list[str], numbers: list[str], at: int) -> int:
    """Return how many words from ``at`` on are the longest IBAN that begins there, 0 where none does.

    An IBAN has 15 to 34 characters without its blanks and passes mod 97 of ISO 13616, its first four moved to the end
    and each letter as its number.
    """
    count, found, whole = 0, 0, ""
    for here in range(at, len(words)):
        count += len(words[here])
        if count > 34:
            break
        whole += numbers[here]
        if count >= 15 and int(whole[6:] + whole[:6]) % 97 == 1:
            found = here - at + 1
    return found


def _hide_ibans(run: str) -> str:
    """Hide the IBANs in words of capitals and digits: others may stand before and after one."""
    words = run.split(" ")
    numbers = [word.translate(_NUMBERS) for word in words]
    shown, at = [], 0
    while at < len(words):
        taken = _words_of_iban(words, numbers, at) if _IBAN_START.match(words[at]) else 0
        shown.append(MASK if taken else words[at])
        at += taken or 1
    return " ".join(shown)


def _hide_cards(run: str) -> str:
    """Hide the card numbers in groups of digits: other numbers (a code, a date) may stand before and after one."""
    groups = [found.span() for found in _DIGITS.finditer(run)]
    if sum(end - begun for begun, end in groups) <= 19 and luhn(re.sub(r"[ -]", "", run)):
        return MASK
    shown, done, at = [], 0, 0
    while at < len(groups):
        taken = _card_at(run, groups, at)
        if taken:
            shown += [run[done : groups[at][0]], MASK]
            done = groups[at + taken - 1][1]
        at += taken or 1
    return "".join([*shown, run[done:]])


def _card_at(run: str, groups: list[tuple[int, int]], at: int) -> int:
    """Return how many groups from ``at`` on are a card number, 0 where they are none."""
    sizes = tuple(end - begun for begun, end in groups[at : at + 5])
    for shape in (*_CARD_GROUPS, sizes[:1]):
        whole = sizes[: len(shape)] == shape and 12 <= sum(shape) <= 19
        if whole and luhn("".join(run[begun:end] for begun, end in groups[at : at + len(shape)])):
            return len(shape)
    return 0


def _name_pattern(names: tuple[str, ...]) -> str:
    spelt = "|".join("[-_ ]?".join(map(re.escape, name)) for name in sorted(names, key=len, reverse=True))
    value = r"""\"(?:[^\"\\]|\\[\s\S])*\"?|'[^']*'?|(?:(?i:bearer|basic)\s+)?[^\s,;&\"'}\])]+"""
    return rf"(?i)([A-Za-z0-9_.-]*(?:{spelt})[A-Za-z0-9_.-]*[\"']?\s*[=:]\s*)({value})"


def _hide_value(before: str, value: str) -> str:
    quote = value[0] if value[0] in "\"'" else ""
    closing = quote if quote and len(value) > 1 and value.endswith(quote) else ""
    return f"{before}{quote}{MASK}{closing}"


def masker(mask: Mask) -> Callable[[str], str]:
    """Return the function that hides what must be hidden; linear in the text."""
    import re2  # noqa: PLC0415  (16 ms of start-up, for templates that mask only)

    options = re2.Options()
    options.log_errors = False
    names = tuple(dict.fromkeys([*CREDENTIALS, *(fold_name(name) for name in mask.names)]))

    def compiled(pattern: str) -> re2._Regexp:
        try:
            return re2.compile(pattern, options)
        except re2.error as error:
            reason = error.args[0]
            raise BadExpression(reason.decode() if isinstance(reason, bytes) else str(reason)) from None

    pem, jwt, scheme, user = (compiled(pattern) for pattern in (_PEM, _JWT, _SCHEME, _URL_USER))
    mail, card, account = (compiled(pattern) for pattern in (_MAIL, _CARD, _IBAN))
    named = compiled(_name_pattern(names))
    own = [compiled(pattern) for pattern in mask.patterns]

    def hide(text: str) -> str:
        if not text:
            return text
        if "-----BEGIN" in text:
            text = pem.sub(MASK, text)
        if "=" in text or ":" in text:
            text = named.sub(lambda found: _hide_value(found.group(1), found.group(2)), text)
        text = jwt.sub(MASK, text)
        text = scheme.sub(lambda found: f"{found.group(1)}{found.group(2)}{MASK}", text)
        if "@" in text:
            text = user.sub(lambda found: f"{found.group(1)}{MASK}@", text)
            text = mail.sub(MASK, text)
        text = account.sub(lambda found: _hide_ibans(found.group()), text)
        text = card.sub(lambda found: _hide_cards(found.group()), text)
        for pattern in own:
            text = pattern.sub(MASK, text)
        return text

    return hide


class Mask(Struct, frozen=True):
    """What the step `mask` hides besides the built-in: names of values, and RE2 expressions."""

    names: tuple[str, ...] = ()
    patterns: tuple[str, ...] = ()
