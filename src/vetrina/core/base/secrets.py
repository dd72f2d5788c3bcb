"""Names that look like a credential's."""

from __future__ import annotations

import re

CREDENTIALS = (
    "password", "passwd", "passphrase", "pwd", "secret", "token", "authorization", "cookie", "apikey", "privatekey",
    "accesskey", "credential",
)  # fmt: skip


def looks_secret(name: str, extra: tuple[str, ...] = ()) -> bool:
    """Tell whether a name looks like a credential's; case, `-` and `_` do not matter."""
    bare = fold_name(name)
    return any(word in bare for word in CREDENTIALS) or any(word and word in bare for word in extra)


def fold_name(name: str) -> str:
    """Return ``name`` as credentials' names are compared: lower case, without `-`, `_`, blanks and dots."""
    return re.sub(r"[-_ .]", "", name.lower())
