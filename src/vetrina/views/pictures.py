"""What all pictures share: a figure that becomes the same bytes each time, its inks, and times along its axis.

A picture repeats byte for byte: no dates in the metadata, a fixed salt.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Any

import matplotlib as mpl
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter
from matplotlib.figure import Figure

INK, QUIET, GRID, GONE = "#2b2b2b", "#555555", "#e3e3e3", "#a23b4a"
TALL = 8.0
"""Inches of a picture that has to be no taller: 1280x800 points as PNG."""
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


class Page:
    """A figure that is being drawn, and afterwards the ``bytes`` that it became."""

    def __init__(self, tall: float) -> None:
        self.tall = tall
        self.figure = Figure(figsize=(12.8, tall), dpi=100, facecolor="white")
        self.bytes = b""


@contextmanager
def page(kind: str, tall: float = TALL) -> Iterator[Page]:
    """Yield a page of so many inches to draw on; it becomes a file of this kind, PNG or SVG."""
    with mpl.rc_context(
        {
            "svg.hashsalt": "vetrina", "font.family": "DejaVu Sans", "svg.fonttype": "path", "text.parse_math": False, "timezone": "UTC",
        }
    ):  # fmt: skip
        drawn = Page(tall)
        yield drawn
        out = io.BytesIO()
        metadata: dict[str, Any] = {"Date": None, "Creator": None} if kind == "svg" else {"Software": None}
        drawn.figure.savefig(out, format=kind, metadata=metadata)
        drawn.bytes = out.getvalue()


def time_axis(axes: Any, zone: tzinfo) -> None:
    """Let the horizontal axis tell times of a zone."""
    locator = AutoDateLocator(tz=zone)  # type: ignore[no-untyped-call]
    axes.xaxis.set_major_locator(locator)
    axes.xaxis.set_major_formatter(ConciseDateFormatter(locator, tz=zone))  # type: ignore[no-untyped-call]


def days(time: datetime) -> float:
    """Return a time as Matplotlib counts: days since 1970."""
    return (time - _EPOCH) / timedelta(days=1)
