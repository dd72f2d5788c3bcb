"""Make the demo's week of events anew: `python tools/demo_week.py`. The same seed gives the same bytes."""

from __future__ import annotations

import json
import random
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

FIRST = datetime(2026, 11, 8, 23, 0, tzinfo=UTC)  # Monday 9 November, 00:00 in Rome
HERE = Path(__file__).resolve().parent.parent / "src" / "vetrina" / "demo"
STORM = (datetime(2026, 11, 12, 12, 40, tzinfo=UTC), datetime(2026, 11, 12, 19, 10, tzinfo=UTC))
FAULT = datetime(2026, 11, 13, 9, 41, 7, 312000, tzinfo=UTC)
STACK = """BrakeFault: shoe 3 did not close within 400 ms
  at brake.close (brake.c:212)
  at drive.stop (drive.c:88)
caused by PressureLow: 41 bar, 60 bar wanted
  at hydraulics.read (hydraulics.c:57)"""

Row = dict[str, Any]


class Week:
    """Collects events and writes them in the order of their times."""

    def __init__(self) -> None:
        self.random = random.Random(4711)
        self.rows: list[tuple[datetime, Row]] = []

    def add(self, time: datetime, level: str, logger: str, message: str, **more: Any) -> None:
        """Add one event; ``more`` are further members of the line."""
        stamp = time.isoformat(timespec="milliseconds").replace("+00:00", "Z")
        row = {"time": stamp, "level": level, "logger": logger, "message": message}
        self.rows.append((time, row | {name: value for name, value in more.items() if value is not None}))

    def spread(self, start: datetime, minutes: float) -> datetime:
        """Return a time up to ``minutes`` after ``start``."""
        return start + timedelta(milliseconds=self.random.randrange(int(minutes * 60_000)))


def stormy(time: datetime) -> bool:
    return STORM[0] <= time < STORM[1]


def hour(week: Week, start: datetime) -> None:
    local = (start.hour + 1) % 24
    rnd = week.random
    for mast in (1, 3):
        for quarter in range(2):
            time = week.spread(start + timedelta(minutes=30 * quarter), 2)
            gust = round(rnd.uniform(14, 31) if stormy(time) else rnd.uniform(1, 11), 1)
            level = "warn" if gust > 20 else "info"
            week.add(time, level, f"ropeway.wind.mast{mast}", "gust {gust} m/s", fields={"gust": gust, "mast": mast})
        week.add(start + timedelta(minutes=59, seconds=mast), "trace", f"ropeway.wind.mast{mast}", "heartbeat", count=60)
    if stormy(start):
        for _ in range(36):
            gust = round(rnd.uniform(20, 34), 1)
            week.add(week.spread(start, 60), "warn", "ropeway.wind.mast3", "gust {gust} m/s, limit 18", fields={"gust": gust})
    week.add(
        start + timedelta(seconds=5),
        "debug",
        "lib.pool",
        "pool holds {idle} idle of {size}",
        fields={"idle": rnd.randrange(8), "size": 8},
    )
    if rnd.random() < 0.35:
        week.add(
            week.spread(start, 60),
            "warn",
            "lib.http",
            "ticket office answered {status} after {ms} ms",
            fields={"status": rnd.choice([502, 503, 504]), "ms": rnd.randrange(2000, 9000)},
        )
    if not 6 <= local < 20 or stormy(start):
        week.add(
            week.spread(start, 60),
            "debug",
            "ropeway.drive.motor",
            "standing, oil at {oil} degrees",
            fields={"oil": rnd.randrange(4, 12)},
        )
        return
    week.add(
        start + timedelta(seconds=30),
        "info",
        "ropeway.drive.motor",
        "running at {speed} m/s",
        fields={"speed": round(rnd.uniform(4, 6), 1)},
        thread="drive-1",
    )
    for _ in range(3):
        week.add(
            week.spread(start, 60),
            "debug",
            "ropeway.drive.brake",
            "pressure {bar} bar",
            fields={"bar": rnd.randrange(60, 75)},
            thread="drive-1",
        )
    weekend = start.weekday() >= 5
    for _ in range(rnd.randrange(8, 14) + (14 if weekend else 0)):
        passenger(week, week.spread(start, 60))


def passenger(week: Week, time: datetime) -> None:
    rnd = week.random
    gate = rnd.choice(["valley", "summit"])
    badge = 4711 if rnd.random() < 0.01 else rnd.randrange(10_000, 99_999)
    fields = {"badge": badge, "gate": gate}
    week.add(time, "debug", "ropeway.gate.scanner", "badge {badge} read at {gate}", fields=fields, thread=f"scan-{gate}")
    if rnd.random() < 0.06:
        week.add(
            time + timedelta(milliseconds=140),
            "warn",
            "ropeway.gate.scanner",
            "badge {badge} refused at {gate}: {reason}",
            fields={**fields, "reason": rnd.choice(["expired", "other line", "read twice"])},
            thread=f"scan-{gate}",
        )
        return
    if rnd.random() < 0.3:
        week.add(
            time + timedelta(milliseconds=90),
            "info",
            "ropeway.fare.pass",
            "pass {pass.kind} used, {left} rides left",
            fields={
                "pass": {"kind": rnd.choice(["day", "week", "ten"]), "stops": ["valley", "mid", "summit"]},
                "left": rnd.randrange(1, 10),
            },
        )


def storm(week: Week) -> None:
    start, end = STORM
    week.add(start - timedelta(seconds=4), "warn", "ropeway.wind.mast3", "gust {gust} m/s, limit 18", fields={"gust": 23.4})
    week.add(start, "alert", "ropeway.drive", "storm stop ordered by {who}", fields={"who": "mast3"}, thread="drive-1")
    week.add(
        start + timedelta(seconds=3),
        "notice",
        "ropeway.drive.brake",
        "service brake closed in {ms} ms",
        fields={"ms": 380},
        thread="drive-1",
    )
    week.add(
        start + timedelta(minutes=2), "info", "ropeway.gate", "gates closed, {waiting} guests waiting", fields={"waiting": 37}
    )
    guests = random.Random(1908)
    for number in range(260):
        time = start + timedelta(milliseconds=guests.randrange(int((end - start).total_seconds() * 1000)))
        fields = {"waiting": 37 + number // 2, "minutes": guests.randrange(5, 300)}
        week.add(time, "warn", "ropeway.gate", "{waiting} guests wait, the first for {minutes} minutes", fields=fields)
    week.add(end, "notice", "ropeway.drive", "storm stop lifted", thread="drive-1")


def fault(week: Week) -> None:
    week.add(
        FAULT - timedelta(seconds=2),
        "warn",
        "ropeway.drive.brake",
        "pressure {bar} bar, {wanted} wanted",
        fields={"bar": 41, "wanted": 60},
        thread="drive-1",
    )
    detail = {"type": "BrakeFault", "message": "shoe 3 did not close within 400 ms", "stack": STACK}
    week.add(
        FAULT,
        "error",
        "ropeway.drive.brake",
        "shoe {shoe} did not close",
        fields={"shoe": 3, "line": "upper"},
        error=detail,
        thread="drive-1",
        source={"file": "brake.c", "line": 212, "function": "close"},
        host="sereno-drive",
    )
    week.add(FAULT + timedelta(milliseconds=20), "critical", "ropeway.drive", "emergency brake", thread="drive-1")
    week.add(
        FAULT + timedelta(milliseconds=900),
        "error",
        "ropeway.fare.pass",
        "ride {ride} refunded without a pass",
        fields={"ride": 20817},
    )
    week.add(FAULT + timedelta(minutes=6), "info", "ropeway.drive", "controller started", mark="crash", thread="drive-1")
    week.add(
        FAULT + timedelta(minutes=6, seconds=1), "info", "ropeway.drive", "self test passed", mark="start", thread="drive-1"
    )


def oddities(week: Week) -> None:
    awkward = 'notice board says "R\u00edgido \u2014 \u8fd0\u884c\u4e2d",\nsecond line \x1b[31mred\x1b[0m \u0645\u0631\u062d\u0628\u0627'
    week.add(FIRST + timedelta(days=1, hours=10), "warn", "ropeway.gate", awkward)
    week.add(
        FIRST + timedelta(days=2, hours=9),
        "info",
        "ropeway.gate",
        "guest {name} asks for {what}",
        fields={"name": "a. berg@example.org"},
    )
    week.add(FIRST + timedelta(days=2, hours=11), "warn", "ropeway.gates", "a logger with a typing mistake in its name")
    week.add(
        FIRST + timedelta(days=5, hours=8),
        "info",
        "ropeway.fare",
        "price list {list}",
        fields={"list": {"day": [31, 28.5, 19.0], "note": "=SUM(A1:A3)"}},
    )
    week.add(
        FIRST + timedelta(hours=4, minutes=30), "info", "ropeway.drive", "controller started", mark="start", thread="drive-1"
    )
    week.add(
        FIRST + timedelta(days=6, hours=20),
        "info",
        "ropeway",
        "season pass office closes",
        host="sereno-desk",
        season="2026/27",
    )
    week.add(FIRST + timedelta(days=6, hours=22), "emergency", "", "uninterruptible power supply on battery")


def main() -> None:
    week = Week()
    for number in range(7 * 24):
        hour(week, FIRST + timedelta(hours=number))
    storm(week)
    fault(week)
    oddities(week)
    (HERE / "week.jsonl").write_text(written(week), encoding="utf-8")
    print(f"{len(week.rows)} events")


def written(week: Week) -> str:
    """Return the events as JSON Lines, in the order of their times."""
    week.rows.sort(key=lambda row: row[0])
    return "".join(json.dumps(row, ensure_ascii=False, separators=(",", ":")) + "\n" for _, row in week.rows)


if __name__ == "__main__":
    main()
