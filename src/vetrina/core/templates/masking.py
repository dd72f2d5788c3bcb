"""What the step `mask` hides: secrets and personal data, each by the standard that gives it its form.

Credentials by the name before them, bearer and basic credentials (RFC 6750, RFC 7617), JSON Web Tokens (RFC 7519),
PEM private keys (RFC 7468), user information in URLs (RFC 3986), e-mail addresses, card numbers that pass the Luhn
check (ISO/IEC 7812), IBANs that pass mod 97 (ISO 13616), and a plan's own patterns (RE2).
"""

from __future__ import annotations

import re
from collections.abc import Callable

from vetrina.core.conditions import BadExpression
from vetrina.core.filling import CREDENTIALS, fold_name
from vetrina.core.plan import Mask

HIDDEN = "***"
_PEM = r"-----BEGIN [A-Z0-9 ]{0,40}PRIVATE KEY-----[\s\S]*?(?:-----END [A-Z0-9 ]{0,40}PRIVATE KEY-----|\z)"
_JWT = r"\beyJ[A-Za-z0-9_-]+\.[A-Za-z0-9_-]+\.[A-Za-z0-9_-]*"
_SCHEME = r"(?i)\b(bearer|basic)(\s+)[A-Za-z0-9._~+/-]+=*"
_URL_USER = r"([A-Za-z][A-Za-z0-9+.-]*://)[^\s/?#@]+@"
_MAIL = r"[A-Za-z0-9.!#$%&'+?^_`{|}~-]+@[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?(?:\.[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?)+"
_CARD = r"\b[0-9](?:[ -]?[0-9]){11,18}\b"
_IBAN = r"\b[A-Z]{2}[0-9]{2}(?: ?[A-Z0-9]){11,30}\b"


def luhn(digits: str) -> bool:
    """Tell whether digits pass the Luhn check of ISO/IEC 7812."""
    total = 0
    for at, digit in enumerate(reversed(digits)):
        value = int(digit) * (2 if at % 2 else 1)
        total += value - 9 if value > 9 else value
    return total % 10 == 0


def iban(text: str) -> bool:
    """Tell whether a text without blanks passes mod 97 of ISO 13616."""
    moved = text[4:] + text[:4]
    return 15 <= len(text) <= 34 and int("".join(str(int(char, 36)) for char in moved)) % 97 == 1


def _hide_iban(whole: str) -> str:
    """Hide the longest beginning of ``whole`` that is an IBAN: a word in capitals may follow it."""
    for end in range(len(whole), 14, -1):
        if whole[end - 1] != " " and iban(whole[:end].replace(" ", "")):
            return HIDDEN + whole[end:]
    return whole


def _hide_card(whole: str) -> str:
    return HIDDEN if luhn(re.sub(r"[ -]", "", whole)) else whole


def _name_pattern(names: tuple[str, ...]) -> str:
    spelt = "|".join("[-_ ]?".join(map(re.escape, name)) for name in sorted(names, key=len, reverse=True))
    value = r"""\"(?:[^\"\\]|\\[\s\S])*\"?|'[^']*'?|(?:(?i:bearer|basic)\s+)?[^\s,;&\"'}\])]+"""
    return rf"(?i)([A-Za-z0-9_.-]*(?:{spelt})[A-Za-z0-9_.-]*[\"']?\s*[=:]\s*)({value})"


def _hide_value(before: str, value: str) -> str:
    quote = value[0] if value[0] in "\"'" else ""
    closing = quote if quote and len(value) > 1 and value.endswith(quote) else ""
    return f"{before}{quote}{HIDDEN}{closing}"


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
            text = pem.sub(HIDDEN, text)
        if "=" in text or ":" in text:
            text = named.sub(lambda found: _hide_value(found.group(1), found.group(2)), text)
        text = jwt.sub(HIDDEN, text)
        text = scheme.sub(lambda found: f"{found.group(1)}{found.group(2)}{HIDDEN}", text)
        if "@" in text:
            text = user.sub(lambda found: f"{found.group(1)}{HIDDEN}@", text)
            text = mail.sub(HIDDEN, text)
        text = account.sub(lambda found: _hide_iban(found.group()), text)
        text = card.sub(lambda found: _hide_card(found.group()), text)
        for pattern in own:
            text = pattern.sub(HIDDEN, text)
        return text

    return hide
