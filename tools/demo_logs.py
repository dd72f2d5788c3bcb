"""Make the demo's old log files anew: `python tools/demo_logs.py`. One is text with stack traces, one JSON."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from vetrina.core.base.events import ErrorDetail, Event
from vetrina.core.templates.compiling import Setting, text_template
from vetrina.formats.events import read_events
from vetrina.formats.plans import read_plan

HERE = Path(__file__).resolve().parent.parent / "src" / "vetrina" / "demo"
OLD_LINE = '{time|%H:%M:%S.%3f} {level|upper|pad 8} [{thread|or -}] {logger} - {message}{error|before "\\n"}'
STACK = "ScanTimeout: badge reader did not answer\n  at reader.poll (reader.c:77)\n  at gate.open (gate.c:31)"


def main() -> None:
    plan = read_plan(HERE / "plan.yaml")
    render = text_template(OLD_LINE, Setting(plan.templates["short"].setting.zone)).compile("\n")
    lines: list[str] = []
    events = [
        event
        for event in read_events(HERE / "week.jsonl")
        if event.logger.startswith(("ropeway.gate", "ropeway.drive", "ropeway.fare"))
    ]
    count = 0
    for number, event in enumerate(events):
        moved = Event(
            event.time - timedelta(days=7),
            event.level,
            event.logger,
            event.message.replace("\n", " "),
            event.fields,
            event.error,
            event.thread,
        )
        if number % 90 == 17:
            moved = Event(
                moved.time,
                "error",
                "ropeway.gate.scanner",
                "gate {gate} timed out",
                {"gate": "valley"},
                ErrorDetail(None, None, STACK),
                "scan-valley",
            )
        text = render(moved, number)
        count += text.count("\n")
        if count > 2000:
            break
        lines.append(text)
    (HERE / "gates-2026-11-02.log").write_text("".join(lines), encoding="utf-8")
    ledger = plan.appenders["fare-ledger"].template.compile("\n")
    fares = [event for event in events if event.logger.startswith("ropeway.fare")]
    (HERE / "fare-old.jsonl").write_text(
        "".join(ledger(event, number) for number, event in enumerate(fares[:200], 1)), encoding="utf-8"
    )
    print(f"{sum(line.count(chr(10)) for line in lines)} lines of text, {min(200, len(fares))} of JSON")


if __name__ == "__main__":
    main()
