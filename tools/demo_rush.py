"""Make the demo's rush hour of events anew: `python tools/demo_rush.py`. The same seed gives the same bytes.

A Saturday morning: the door's own access log, guests at the gates, gusts at the summit, and a brake that begins to fail.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from demo_week import HERE, Week, written

FIRST = datetime(2026, 11, 21, 9, 0, tzinfo=UTC)  # 10:00 in Rome
STORM = (timedelta(minutes=20), timedelta(minutes=35))
FAULT = timedelta(minutes=26, seconds=40)
STACK = """BrakeFault: shoe 2 did not close within 400 ms
  at brake.close (brake.c:212)
  at drive.slow (drive.c:131)"""


def door(week: Week, minute: int) -> None:
    """Add what the ticket door's web server writes past the configuration."""
    rnd = week.random
    for _ in range(6 + (18 if 20 <= minute < 40 else 0)):
        path, status = rnd.choice(["/pass", "/pass/day", "/weather", "/lifts"]), rnd.choice([200] * 14 + [304, 404])
        status = 503 if 27 <= minute < 30 and rnd.random() < 0.3 else status
        fields = {"path": path, "status": status, "ms": rnd.randrange(4, 90) * (20 if status == 503 else 1)}
        level = "error" if status == 503 else "info"
        time = week.spread(FIRST + timedelta(minutes=minute), 1)
        week.add(time, level, "door.web", "{path} answered {status} in {ms} ms", fields=fields, channel="access")


def wind(week: Week) -> None:
    """Add gusts, one a second and more in the storm; one line stands for twenty where the mast's radio was late."""
    rnd, time = week.random, FIRST
    while time < FIRST + timedelta(hours=1):
        stormy = STORM[0] <= time - FIRST < STORM[1]
        gust = round(rnd.uniform(14, 31) if stormy else rnd.uniform(2, 12), 1)
        late = 20 if stormy and rnd.random() < 0.02 else None
        fields = {"gust": gust, "mast": 3}
        week.add(time, "warn" if gust > 25 else "info", "ropeway.wind.mast3", "gust {gust} m/s", fields=fields, count=late)
        time += timedelta(seconds=rnd.uniform(0.6, 1.4)) if stormy else timedelta(seconds=rnd.uniform(20, 40))


def drive(week: Week) -> None:
    """Add the brakes of both drives; the first one's second shoe fails, and says so again and again."""
    rnd = week.random
    for turn in range(360):
        for number in (1, 2):
            time = week.spread(FIRST + timedelta(seconds=10 * turn), 0.1)
            bar = rnd.randrange(60, 75)
            week.add(time, "debug", "ropeway.drive.brake", "pressure {bar} bar", fields={"bar": bar}, thread=f"drive-{number}")
    fault, thread = FIRST + FAULT, "drive-1"
    week.add(
        fault - timedelta(seconds=3), "debug", "ropeway.drive.brake", "pressure {bar} bar", fields={"bar": 44}, thread=thread
    )
    week.add(
        fault,
        "error",
        "ropeway.drive.brake",
        "shoe {shoe} did not close",
        fields={"shoe": 2},
        error={"type": "BrakeFault", "stack": STACK},
        thread=thread,
    )
    for turn in range(40):
        time = fault + timedelta(milliseconds=900 * (turn + 1))
        week.add(time, "error", "ropeway.drive.brake", "shoe {shoe} did not close", fields={"shoe": 2}, thread=thread)
    week.add(fault + timedelta(seconds=41), "critical", "ropeway.drive", "stopped by hand at the valley station", thread=thread)


def gates(week: Week, minute: int) -> None:
    """Add guests at the gates."""
    rnd = week.random
    for _ in range(4):
        badge, gate = rnd.randrange(10_000, 99_999), rnd.choice(["valley", "summit"])
        time = week.spread(FIRST + timedelta(minutes=minute), 1)
        fields = {"badge": badge, "gate": gate}
        week.add(time, "debug", "ropeway.gate.scanner", "badge {badge} read at {gate}", fields=fields, thread=f"scan-{gate}")


def main() -> None:
    """Write the hour."""
    hour = Week()
    for minute in range(60):
        door(hour, minute)
        gates(hour, minute)
    wind(hour)
    drive(hour)
    (HERE / "rush.jsonl").write_text(written(hour), encoding="utf-8", newline="\n")


if __name__ == "__main__":
    main()
