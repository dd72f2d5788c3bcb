"""Make the demo's recordings for foresight anew: `python tools/demo_foresight.py`. The same seed gives the same bytes.

live.jsonl is two days of the ropeway in service, recorded under the stage `live`; bench.jsonl six hours of the workbench,
where everything was on.
"""

from __future__ import annotations

import json
import math
import random
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

HERE = Path(__file__).resolve().parent.parent / "src" / "vetrina" / "demo"
LIVE = datetime(2026, 11, 16, 23, 0, tzinfo=UTC)  # Tuesday 17 November, 00:00 in Rome
BENCH = datetime(2026, 11, 12, 7, 0, tzinfo=UTC)

Row = dict[str, Any]


def chance(rnd: random.Random, mean: float) -> int:
    """Return a Poisson count."""
    left, count = math.exp(-mean), 0
    product = rnd.random()
    while product > left:
        count += 1
        product *= rnd.random()
    return count


def hour(rnd: random.Random, start: datetime, guests: int) -> list[Row]:
    """Return all that the ropeway would say in an hour with so many guests, at every level."""
    rows: list[Row] = []

    def add(level: str, logger: str, message: str, **fields: Any) -> None:
        time = start + timedelta(milliseconds=rnd.randrange(3_600_000))
        stamp = time.isoformat(timespec="milliseconds").replace("+00:00", "Z")
        rows.append({"time": stamp, "level": level, "logger": logger, "message": message, "fields": fields})

    for _ in range(chance(rnd, guests)):
        ride, gate = rnd.randrange(20_000, 40_000), rnd.randrange(1, 5)
        add("info", "ropeway.gate", "gate {gate} open for {ride}", gate=gate, ride=ride)
        for _ in range(chance(rnd, 3)):
            add(
                "debug",
                "ropeway.gate.scanner",
                "read {badge} at gate {gate} in {ms} ms",
                badge=ride,
                gate=gate,
                ms=rnd.randrange(8, 90),
            )
        if rnd.random() < 0.4:
            add("debug", "ropeway.gate.latch", "latch {gate} took {ms} ms", gate=gate, ms=rnd.randrange(30, 400))
        if rnd.random() < 0.03:
            add("warn", "ropeway.gate.scanner", "unknown badge at gate {gate}", gate=gate)
    for _ in range(chance(rnd, 6)):
        add("info", "ropeway.drive", "rope at {speed} m/s", speed=round(rnd.uniform(3, 6), 1))
        for _ in range(chance(rnd, 8)):
            add(
                "debug",
                "ropeway.drive.motor",
                "torque {torque}, oil at {oil} degrees",
                torque=rnd.randrange(200, 900),
                oil=rnd.randrange(8, 60),
            )
    burst = rnd.random() < 0.3
    for _ in range(chance(rnd, 40 if burst else 2)):
        add("debug", "lib.pool", "pool holds {idle} idle of {size}", idle=rnd.randrange(9), size=8)
    for _ in range(chance(rnd, 1.5)):
        add("warn", "lib.http", "ticket office answered {status} after {ms} ms", status=503, ms=rnd.randrange(900, 9000))
    return rows


def write(name: str, rows: list[Row]) -> None:
    rows.sort(key=lambda row: row["time"])
    text = "".join(json.dumps(row, ensure_ascii=False, separators=(",", ":")) + "\n" for row in rows)
    (HERE / name).write_text(text, encoding="utf-8")


def recorded(row: Row) -> bool:
    """Tell whether the stage `live` lets a row arrive anywhere."""
    return row["level"] != "debug" and not row["logger"].startswith("lib.")


def main() -> None:
    rnd = random.Random(2017)
    live = [row for turn in range(48) for row in hour(rnd, LIVE + timedelta(hours=turn), (40 if 7 <= turn % 24 < 18 else 1))]
    write("live.jsonl", [row for row in live if recorded(row)])
    write("bench.jsonl", [row for turn in range(6) for row in hour(rnd, BENCH + timedelta(hours=turn), 12)])
    print(
        sum(row["level"] == "debug" and row["logger"].startswith("ropeway.gate") for row in live),
        "debug events of the gates were left out of live.jsonl",
    )


if __name__ == "__main__":
    main()
