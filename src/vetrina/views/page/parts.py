"""From what a page is made of to the page: its data, its pictures, its limits in words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any

from msgspec import Struct, to_builtins

from vetrina.core.base import clocks
from vetrina.core.base.quantities import show_size, show_span
from vetrina.core.base.wording import counted
from vetrina.core.checks.context import SEVERITIES
from vetrina.core.checks.runner import Finding
from vetrina.core.rolling.lanes import RollingAppender
from vetrina.core.rolling.outlook import kept_history
from vetrina.core.routing.level_rows import Selection, level_rows
from vetrina.core.window.kinds import MOST_LINES, MOST_ON_TAPE
from vetrina.core.window.window import Recorded, Window
from vetrina.views.documents.rolling import rolled_file
from vetrina.views.levels import from_cell, to_cell
from vetrina.views.page.plan_data import Data, plan_data
from vetrina.views.page.rendering import Picture, page_text
from vetrina.views.page.traffic_data import traffic_data

MOST_DRAWN = 2 << 20
"""Bytes of all pictures of a page."""
MOST_FILE_ROWS = 2000
"""Files of one appender that a page lists."""


class TriedChange(Struct, frozen=True):
    """A change that a page begins with: its options, what whatif says of it, and how the page's address says it (None: it cannot).

    ``estimates`` tells that whatif's figures hold events that nobody recorded.
    """

    words: str
    sentences: tuple[str, ...]
    lines: tuple[str, ...]
    address: str | None
    estimates: bool = False

    @property
    def tried(self) -> bool:
        """Tell whether the page itself can show it."""
        return self.address is not None


class Making(Struct, frozen=True):
    """When a page is made, with which version, how many checks looked, and a heading in place of the plan's."""

    time: datetime
    version: str
    checks: int
    title: str = ""


class Made(Struct, frozen=True):
    """A page: its text, and what had to be left out of it."""

    text: str
    events: int | None
    left_out: tuple[str, ...]


def made_page(window: Window, findings: Sequence[Finding], making: Making, change: TriedChange | None = None) -> Made:
    """Return the page of a window."""
    plan, recorded = window.found.plan, window.recorded
    policies = window.policies()
    untold = window.untold(policies)
    gallery = _Gallery(window)
    files = list(_files(recorded, window, gallery))
    routing = gallery.routing()
    data: Data = {
        "plan": plan_data(plan, policies, untold),
        "rows": _rows(window),
        "traffic": None if recorded is None else traffic_data(recorded.kinds, plan, recorded.name, recorded.unreadable),
        "findings": [_finding(one) for one in sorted(findings, key=lambda one: (SEVERITIES.index(one.severity), one.order()))],
        "files": [{"appender": one["appender"], "rows": one["rows"]} for one in files],
        "opening": change.address or "" if change is not None else "",
    }
    left_out = [*gallery.left_out, *_left_out(window, untold)]
    text = page_text(
        to_builtins(data),
        title=making.title or plan.title or plan.name, asked=window.asked, files=files, routing=routing, checks=making.checks,
        change=change, limits=[*left_out, *_limits(window)], made=clocks.iso(clocks.zone(plan.zone))(making.time),
        version=making.version,
    )  # fmt: skip
    return Made(text, None if recorded is None else recorded.kinds.events, tuple(left_out))


def _rows(window: Window) -> list[Data]:
    """Return the loggers in the order of the tree."""
    return [
        {
            "logger": row.logger, "depth": row.depth, "set": row.set_level, "from": from_cell(row).text, "to": to_cell(row).text,
            "enabled": row.enabled, "climb": row.climb, "note": row.note,
        }
        for row in level_rows(window.found.plan, Selection())[0]
    ]  # fmt: skip


def _finding(one: Finding) -> Data:
    place = str(one.place) if one.place else one.where
    return {
        "severity": one.severity, "code": one.code, "message": one.message, "why": one.why, "remedy": one.remedy, "edit": one.edit,
        "place": place, "stages": list(one.stages),
    }  # fmt: skip


def _files(recorded: Recorded | None, window: Window, gallery: _Gallery) -> Iterator[dict[str, Any]]:
    """Yield the files over time of each appender that rolls."""
    zone = clocks.zone(window.found.plan.zone)
    for name, lane in (recorded.files.lanes if recorded is not None and recorded.files is not None else {}).items():
        found = lane.simulation
        rows = []
        for one in found.files[-MOST_FILE_ROWS:]:
            row = rolled_file(one, zone)
            removed = None if row.removed is None else f"{row.removed} ({row.removed_by})"
            rows.append({
                "name": row.name, "opened": row.opened, "closed": row.closed, "reason": row.reason, "events": row.events,
                "disk": row.disk_bytes, "removed": removed,
            })  # fmt: skip
        yield {"appender": name, "words": _file_words(lane), "rows": rows, "picture": gallery.files(name, lane)}


def _file_words(lane: RollingAppender) -> str:
    found = lane.simulation
    gone = sum(one.removed is not None for one in found.files)
    history = show_span(kept_history(found))
    words = [
        f"{counted(len(found.files), 'file')}, {show_size(found.peak)} on disk at most",
        f"history left at its shortest {history}" if gone else f"no limit acted: all {history} of the recording are kept",
    ]
    lost = sum(one.lost for one in found.files)
    if lost:
        words.append(f"{counted(lost, 'event')} overwritten or emptied")
    if len(found.files) > MOST_FILE_ROWS:
        words.append(f"the last {MOST_FILE_ROWS:,} files are listed")
    return f"{'; '.join(words)}."


class _Gallery:
    """The pictures of a page, as many as there is room for."""

    def __init__(self, window: Window) -> None:
        self._recorded, self._plan = window.recorded, window.found.plan
        self._room = MOST_DRAWN
        self.left_out: list[str] = []
        self._can = True

    def _draws(self) -> bool:
        """Tell whether pictures can be drawn at all."""
        if self._can and self._recorded is not None:
            try:
                import matplotlib as _  # noqa: F401, ICN001, PLC0415  (heavy, and an extra)
            except ImportError:
                self._can = False
                self.left_out.append("Pictures: the library that draws them was not there (pip install 'vetrina[plot]').")
        return self._can and self._recorded is not None

    def _kept(self, picture: Picture, what: str) -> Picture | None:
        if len(picture.svg) > self._room:
            self.left_out.append(f"The picture of {what}: there was no room for more than {show_size(MOST_DRAWN)} of pictures.")
            return None
        self._room -= len(picture.svg)
        return picture

    def routing(self) -> Picture | None:
        """Return the routing as a picture."""
        if not self._draws() or self._recorded is None:
            return None
        from vetrina.views.routing_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)

        routes = self._recorded.routes
        words = (
            f"{counted(routes.events, 'event')} on their way from loggers at the left through the gates to the sinks at the right; "
            f"{counted(routes.unrouted, 'event')} arrive nowhere. The table below has every figure."
        )
        return self._kept(Picture("The routing", words, draw(routes, self._plan, "svg")), "the routing")

    def files(self, name: str, lane: RollingAppender) -> Picture | None:
        """Return the files of one appender as a picture."""
        if not self._draws():
            return None
        from vetrina.views.rolling_picture import draw  # noqa: PLC0415  (Matplotlib only where it is used)

        zone_name = self._plan.zone
        svg = draw(name, lane.simulation, lane.appender.roll, clocks.zone(zone_name), zone_name, "svg")
        words = f"The files of {name} over time, the disk that they take, and the history that they keep. The table below has every file."
        return self._kept(Picture(f"Files of {name}", words, svg), f"the files of {name}")


def _left_out(window: Window, untold: Sequence[str]) -> list[str]:
    """Return what is not on the page although it was asked for."""
    if window.recorded is None:
        return []
    found = [f"What a change leaves of the history of {name}: its periods are too many for a page." for name in untold]
    kinds = window.recorded.kinds
    if kinds.tape is None:
        found.append(f"What a change leaves of the history of files: more than {MOST_ON_TAPE:,} writes would be on the page.")
    if sum(len(one.lines) for one in kinds.kinds) >= MOST_LINES:
        found.append(f"Sample lines beyond the first {MOST_LINES:,}.")
    return found


def _limits(window: Window) -> list[str]:
    """Return what the page's figures stand on, and what it cannot tell."""
    if window.recorded is None:
        return ["No recording is in it: it shows gates, levels and findings, and no counts."]
    pace = window.recorded.kinds.pace
    return [
        "Events that nobody recorded are in no figure: where a level is lowered, messages that were not written when this was recorded are not foreseen.",
        f"A day: {pace.words()}." if pace.known else f"Nothing is said of a day: {pace.words()}.",
        "Rules that look at the message, the fields or the error of an event are answered for each recorded event; where you ask for a logger and a level alone, the page says that the event itself decides.",
        "Limits, recalls and queues look at what came before: the page says where they are, and has no figures for what they do under a change.",
        "Files begin with an empty folder, and what other programs write is not known.",
    ]  # fmt: skip
