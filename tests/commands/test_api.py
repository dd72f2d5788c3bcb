"""The Python API says what the commands say."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import pytest
from docs import prepare

import vetrina
from support import Run
from vetrina.views.documents import check, compare, levels, preview, rolling, routes, whatif, why


@pytest.fixture(autouse=True)
def demo(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    prepare(folder)
    monkeypatch.chdir(folder)


def as_data(document: object) -> object:
    import json

    import msgspec

    return json.loads(msgspec.json.encode(document))


def test_calls_say_what_the_commands_say(run: Run) -> None:
    from zoneinfo import ZoneInfo

    from vetrina.core.changes.comparing import Compared

    plan = vetrina.resolve("plan.yaml", stages=["live"])
    changed = vetrina.resolve("plan.yaml", stages=["live"], tunes=["ropeway.drive=debug"])
    event = vetrina.Event(datetime(2026, 1, 1, tzinfo=UTC), "debug", "ropeway.drive", "x")
    found = vetrina.compare(plan, changed)
    compared = Compared(found.messages, found.undecided, found.classes, found.bounded)
    traffic, scale = vetrina.route(plan, "week.jsonl", level="warn.."), plan.plan.scale
    zone = ZoneInfo(plan.plan.zone)
    files = vetrina.rolling(plan, "week.jsonl", rates=["ropeway.drive info 1/minute"])
    outcome = vetrina.whatif(plan, changed, "week.jsonl", rates=["ropeway.drive debug 1/minute"])
    stage, tune = ("--stage", "live"), ("--tune", "ropeway.drive=debug")
    table = [
        (("levels", "plan.yaml", *stage), levels.document(vetrina.levels(plan), scale)),
        (("routes", "plan.yaml", "week.jsonl", *stage, "--level", "warn.."), routes.document(traffic, plan.plan, 0)),
        (("why", "plan.yaml", "--logger", "ropeway.drive", "--level", "debug", "--message", "x", *stage), why.document(vetrina.explain(plan, event), event, plan.plan)),
        (("check", "plan.yaml", "--events", "week.jsonl", *stage), check.document(vetrina.check(plan, "week.jsonl"))),
        (("compare", "plan.yaml", "plan.yaml", *stage, "--other-stage", "live", "--other-tune", "ropeway.drive=debug"), compare.document(compared, found.sinks, scale)),
    ]  # fmt: skip
    for words, document in table:
        assert run(*words, "--json").json == as_data(document), words
    lines = [
        as_data(preview.document(one, one.output)) for one in vetrina.preview(plan, "week.jsonl", appenders=["desk"], first=5)
    ]
    assert run("preview", "plan.yaml", "week.jsonl", *stage, "--appender", "desk", "--first", "5", "--json").lines == lines
    rolled = [as_data(rolling.document(name, one, zone, None, None, None, None, scale)) for name, one in files.lanes.items()]
    assert run("rolling", "plan.yaml", "week.jsonl", *stage, "--rate", "ropeway.drive info 1/minute", "--json").lines == rolled
    told = run("whatif", "plan.yaml", "week.jsonl", *stage, *tune, "--rate", "ropeway.drive debug 1/minute", "--json").json
    mine = as_data(whatif.document([outcome], [], 0, scale))
    told["change"] = told["candidates"][0]["change"] = []
    assert told == mine


def test_apply_writes_what_the_command_writes_and_undo_takes_it_back(run: Run, folder: Path) -> None:
    before = (folder / "plan.yaml").read_bytes()
    tried = vetrina.apply("plan.yaml", tunes=["ropeway.fare=warn"], dry_run=True)
    assert (folder / "plan.yaml").read_bytes() == before
    change = vetrina.apply("plan.yaml", tunes=["ropeway.fare=warn"])
    after = (folder / "plan.yaml").read_text(encoding="utf-8")

    assert tried.diffs == change.diffs
    assert vetrina.resolve("plan.yaml").plan.loggers["ropeway.fare"].level is not None
    assert change.versions["plan.yaml"].after == after
    assert run("undo", "plan.yaml", "--yes").code == 0
    assert (folder / "plan.yaml").read_bytes() == before


def test_a_document_in_another_format_is_read_and_changed_through_its_mapping(run: Run, folder: Path) -> None:
    before = (folder / "kiosk.xml").read_bytes()
    plan = vetrina.resolve("kiosk.xml", by="kiosk.mapping.yaml", stages=["winter"])
    assert run("levels", "kiosk.xml", "--stage", "winter", "--json").json == as_data(
        levels.document(vetrina.levels(plan), plan.plan.scale)
    )
    assert plan.adoption is not None
    bare = plan.bare_plan()
    assert bare is not None
    assert (plan.adoption.left_over, vetrina.read_plan("kiosk.xml").loggers["card"].level) == ([], bare.loggers["card"].level)
    change = vetrina.apply("kiosk.xml", tunes=["ticket.printer=debug"], by="kiosk.mapping.yaml")
    assert (folder / "kiosk.xml").read_bytes() == before.replace(b'"printer" from="plain"', b'"printer" from="whisper"')
    assert [one.file for one in change.versions.values()] == ["kiosk.xml"]
    assert run("undo", "kiosk.xml").code == 0
    assert (folder / "kiosk.xml").read_bytes() == before
    with pytest.raises(vetrina.Refused):
        vetrina.resolve("kiosk.xml", by="-")


def test_a_program_s_own_events_are_events_and_wrong_ones_are_refused() -> None:
    plan = vetrina.read_plan("plan.yaml")
    made = list(vetrina.read_events("week.jsonl", scale=plan.scale))
    loud = vetrina.Event(datetime(2026, 1, 1, tzinfo=UTC), "loud", "ropeway", "x")
    timeless = vetrina.Event(datetime(2026, 1, 1), "info", "ropeway", "x")

    assert vetrina.route(plan, made).appenders == vetrina.route(plan, "week.jsonl").appenders
    for wrong, what in ((loud, "loud"), (timeless, "offset")):
        with pytest.raises(vetrina.Refused, match=what):
            vetrina.route(plan, [wrong])
    with pytest.raises(vetrina.Refused, match="loud"):
        vetrina.explain(plan, loud)
    for call in (
        lambda: vetrina.check(vetrina.resolve("plan.yaml"), only=["twic"]),
        lambda: vetrina.preview(plan, appenders=["dask"]),
        lambda: vetrina.rolling(plan, made, appenders=["desk"]),
        lambda: vetrina.rolling(plan, made, rates=["nonsense"]),
        lambda: vetrina.route(plan, made, level="x..y..z"),
        lambda: vetrina.read("x.log", plan, "dask"),
        lambda: vetrina.apply("plan.yaml"),
        lambda: vetrina.apply("plan.yaml", tunes=["ropeway=debug"], into="x.yaml", in_stage="live"),
    ):
        with pytest.raises(vetrina.Refused):
            call()
