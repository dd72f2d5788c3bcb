"""Files at URLs, read through fsspec by whatever protocol it knows."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from typing import IO, Any, cast

from vetrina.core.base.faults import Refused, refuse
from vetrina.formats.documents import unreadable

_URL = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+://")


def is_url(name: str) -> bool:
    """Tell whether a name is a URL."""
    return _URL.match(name) is not None


@lru_cache(4096)
def remote_size(url: str) -> int | None:
    """Return how many bytes a file has, None where its server does not tell; that is asked once."""
    try:
        size = _files(url).size(url)
    except Exception as error:  # noqa: BLE001  (every protocol raises its own)
        raise _not_read(url, error) from None
    return None if size is None else int(size)


@contextmanager
def open_url(url: str) -> Iterator[IO[bytes]]:
    """Open a file for reading bytes as they are."""
    try:
        file = _files(url).open(url, "rb", cache_type="readahead", block_size=1 << 22)
    except Exception as error:  # noqa: BLE001  (every protocol raises its own)
        raise _not_read(url, error) from None
    with file:
        yield cast(IO[bytes], file)


def _files(url: str) -> Any:
    """Return the file system of a URL's protocol."""
    try:
        import fsspec  # noqa: PLC0415  (only where there are URLs)
    except ImportError:
        raise refuse("a URL needs fsspec, which is not installed", fix="pip install 'vetrina[cluster]'", where=url) from None
    try:
        return fsspec.url_to_fs(url)[0]
    except (ImportError, ValueError) as error:
        raise unreadable(
            url, f"this URL cannot be read: {str(error)[:200]}", fix="write http://…, or install what it needs"
        ) from None


def _not_read(url: str, error: Exception) -> Refused:
    if isinstance(error, Refused):
        return error
    words = (
        "there is no such file"
        if isinstance(error, FileNotFoundError)
        else f"it cannot be read: {str(error)[:200] or type(error).__name__}"
    )
    return unreadable(url, words, fix="check the URL, and that its server answers here")
