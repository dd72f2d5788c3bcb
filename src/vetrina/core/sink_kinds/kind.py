"""What every kind of sink says of itself: its keys, what it takes, and how its place is told from others."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping

from msgspec import Struct, field

from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key

Shown = Mapping[str, str]
"""A sink's keys as texts that may be shown."""


class SinkKind(Struct, frozen=True):
    """One kind of sink.

    ``place`` returns what tells two sinks apart, from the keys' texts and the folder that relative paths start from;
    ``label`` returns it for people. ``takes`` names the template forms that it can write, the first as the default.
    ``traits`` are what it is like whatever its keys say; ``receiver`` returns the protocol of what takes its deliveries,
    ``address`` the host and port to ask for that; ``templates`` are the keys whose texts are templates. Its outlet, which
    delivers for real, is `rehearsal.outlets` module of the same name.
    """

    name: str
    doc: str
    keys: dict[str, Key] = field(default_factory=dict)
    takes: tuple[str, ...] = ("text", "json", "csv", "syslog")
    place: Callable[[Shown, str], str] = lambda _keys, _folder: ""
    label: Callable[[Shown], str] = lambda _keys: ""
    traits: SinkTraits = SinkTraits()
    receiver: Callable[[Shown], str] = lambda _keys: ""
    address: Callable[[Shown], tuple[str, int]] | None = None
    templates: tuple[str, ...] = ()


def full_path(path: str, folder: str) -> str:
    """Return ``path`` resolved against ``folder``, with `.` and `..` worked out, as POSIX does by text."""
    return posixpath.normpath(posixpath.join(folder, path))
