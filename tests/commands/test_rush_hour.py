"""The rush hour in every command: channels that go round, limits, recalls and queues, worked out by hand."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from docs import prepare

from plans import faults
from support import Run, event

Write = Callable[..., Path]
PLAN = """vetrina: 1
channels:
  access: {logger: door.requests, level: notice}
  boot: {enabled: false}
loggers: {root: {level: debug, to: [a, b, c]}}
appenders:
  a: {sink: console, limit: {events: 2, per: 1 minute, same: [logger]}, template: "{logger} {message} {channel|or -}"}
  b: {sink: file, path: b.log, recall: {events: 2, below: warn, at: error}, template: "{message}"}
  c: {sink: none, queue: {events: 2, drains: 1/second, full: drop-below warn}}
stages: {wide: {appenders: {a: {limit: {events: 9}}}}, dry: {channels: {access: {enabled: false}}}}
"""
# (level, seconds after the first, channel); the messages are m0, m1, …
ROWS = [("debug", 0, None), ("debug", 0, ""), ("info", 1, None), ("error", 1, None), ("debug", 2, "access"), ("warn", 2, "boot"),
        ("debug", 3, None), ("error", 3, "unknown")]  # fmt: skip
EACH = [
    (1, None, "a c", {"b": "recall"}),
    (2, None, "a b c", {}),
    (3, None, "b c", {"a": "limit"}),
    (4, None, "b c", {"a": "limit"}),
    (6, "round", "", {}),
    (8, "round", "", {}),
    (5, None, "a", {"b": "recall", "c": "queue"}),
    (7, None, "c", {"a": "limit", "b": "recall"}),
]
"""What becomes of each, in the order in which it is known."""


@pytest.fixture(autouse=True)
def room(folder: Path, write: Write) -> None:
    write("plan.yaml", PLAN)
    lines = [
        event(
            "gate",
            level,
            f"m{at}",
            time=f"2026-11-02T08:00:0{second}Z",
            **({"channel": channel} if channel is not None else {}),
        )
        for at, (level, second, channel) in enumerate(ROWS)
    ]
    (folder / "e.jsonl").write_text("".join(json.dumps(one) + "\n" for one in lines))


def test_routes_tell_each_fate_when_it_is_known(run: Run) -> None:
    each = run("routes", "plan.yaml", "e.jsonl", "--each", "--json").lines
    sums = run("routes", "plan.yaml", "e.jsonl", "--json").json

    assert [
        (one["line"], one["stopped_at"], " ".join(to["appender"] for to in one["deliveries"]), {stop["appender"]: stop["gate"] for stop in one["stops"]})
        for one in each
    ] == EACH  # fmt: skip
    assert sums["stopped"] == {"door": 0, "level": 0, "nowhere": 0, "round": 2}
    assert sums["unrouted"] == 2
    assert sums["channels"] == [
        {"channel": name, "events": 1, "round": gone} for name, gone in (("access", 0), ("boot", 1), ("unknown", 1))
    ]
    assert {one["appender"]: (one["reached"], one["stopped"]) for one in sums["appenders"]} == {
        "a": (3, {"limit": 3}), "b": (3, {"recall": 3}), "c": (5, {"queue": 1}),
    }  # fmt: skip
    assert [(one["logger"], one["level"], one["events"]) for one in sums["cells"]][:2] == [
        ("door.requests", "notice", 1),
        ("gate", "debug", 3),
    ]


def test_lines_come_in_the_order_of_writing(run: Run) -> None:
    shown = run("preview", "plan.yaml", "e.jsonl", "--json").lines

    assert [(one["line"], one["output"].strip()) for one in shown if one["appender"] == "b"] == [
        (2, "m1"),
        (3, "m2"),
        (4, "m3"),
    ]
    assert [one["output"].strip() for one in shown if one["appender"] == "a"] == [
        "gate m0 -",
        "gate m1 -",
        "door.requests m4 access",
    ]
    assert run("rehearse", "plan.yaml", "e.jsonl", "--into", "box", "--verify").code == 0


@pytest.mark.parametrize(
    "words, code, said",
    [
        (["--from", "e.jsonl:1"], 0, ["pushed out by line 3 (info, gate) before anything at error or above came"]),
        (["--from", "e.jsonl:2"], 0, ["remembered, and written when line 4 (error, gate) came", "1 of 2 events of the same logger had passed"]),
        (["--from", "e.jsonl:4"], 0, ["written at once, after what is remembered", "left it 3.000 s after it came, after the application was held for 1.000 s"]),
        (["--from", "e.jsonl:5"], 0, ["it counts as one of door.requests at notice", "stood in line, and it was dropped"]),
        (["--from", "e.jsonl:6"], 1, ["Goes round the configuration", "which is switched off"]),
        (["--from", "e.jsonl:7"], 0, ["nothing at error or above came to the end of the file"]),
        (["--from", "e.jsonl:8"], 1, ["which the plan does not name"]),
        (["--from", "e.jsonl:3", "--to", "a"], 1, ["appenders[a].limit.events=3", "appenders[a].limit=null", "for the given events: a +"]),
        (["--from", "e.jsonl:1", "--to", "b"], 1, ["appenders[b].recall.events=3", "appenders[b].recall.below=debug"]),
        (["--from", "e.jsonl:5", "--to", "c"], 1, ["appenders[c].queue.events=3", "appenders[c].queue.full=wait"]),
        (["--from", "e.jsonl:6", "--to", "b"], 1, ["channels[boot].enabled=true"]),
        (["--channel", "access"], 0, ["door.requests", "passes unless 2 events of the same logger passed within 1 minute before"]),
        (["--channel", "nix", "--to", "c"], 1, ["channels[nix]={enabled: true}", "also changes the way of root by nix at"]),
        (["--logger", "x", "--level", "debug"], 0, ["It is written if one at error or above comes before 2 further events below warn"]),
        (["--logger", "x", "--level", "warn"], 0, ["passes while fewer than 2 events stand in line (drained 1/second); else the application is held"]),
    ],
)  # fmt: skip
def test_why_tells_what_came_before(run: Run, words: list[str], code: int, said: list[str]) -> None:
    found = run("why", "plan.yaml", *words)
    text = " ".join(found.out.split())

    assert found.code == code
    assert [one for one in said if one not in text] == []


def test_whatif_and_compare_see_what_differs_in_the_rush_hour(run: Run) -> None:
    edits = ["appenders.a.limit.events=9", "channels.boot.enabled=true", "appenders.b.recall=null"]
    outcomes = [run("whatif", "plan.yaml", "e.jsonl", "--set", one, "--json").json for one in edits]
    changed = [{one["appender"]: (one["gained"], one["lost"]) for one in outcome["appenders"]} for outcome in outcomes]
    limits = run("compare", "plan.yaml", "plan.yaml", "--other-stage", "wide", "--json")
    channels = run("compare", "plan.yaml", "plan.yaml", "--other-stage", "dry", "--json")

    assert changed[0] == {"a": (3, 0), "b": (0, 0), "c": (0, 0)}
    assert changed[1] == {"a": (0, 0), "b": (1, 0), "c": (1, 1)}  # the warning takes the place of a later one
    assert changed[2] == {"a": (0, 0), "b": (3, 0), "c": (0, 0)}
    assert (limits.code, limits.json["equal"], limits.json["differences"]) == (1, False, [])
    assert [(one["kind"], one["what"]) for one in limits.json["sinks"]] == [("rush", ["limit.events: 2 > 9"])]
    assert [(one["channel"], one["logger"], one["scope"], one["only_in_second"]) for one in channels.json["differences"]] == [
        ("access", "root", "all", [])
    ]
    assert channels.json["differences"][0]["example"]["channel"] == "access"


CASES = """vetrina-expect: 1
cases:
  - {say: alone it is remembered, event: {logger: gate, level: debug}, avoids: b}
  - {say: an error recalls it, event: {logger: gate, level: debug}, later: [{logger: gate, level: error, apart: 2 seconds}], reaches: b}
  - say: two newer ones push it out
    event: {logger: gate, level: debug}
    later: [{logger: gate, level: info, times: 2}, {logger: gate, level: error}]
    avoids: b
  - {say: the third within a minute, event: {logger: gate, level: error}, earlier: [{logger: gate, level: info, times: 2, apart: 59 seconds}], avoids: a}
  - {say: after a minute, event: {logger: gate, level: error}, earlier: [{logger: gate, level: info, times: 2, apart: 60 seconds}], reaches: a}
  - {say: round, event: {logger: gate, level: error, channel: boot}, only: []}
  - {say: brought in, event: {logger: x, level: debug, channel: access}, only: [a, c], line: {a: {text: door.requests a message access}}}
"""


def test_cases_with_what_comes_before_and_after(run: Run, write: Write) -> None:
    write("cases.yaml", CASES)
    write(
        "wrong.yaml",
        CASES.replace("avoids: a}", "reaches: a}").replace("apart: 2 seconds}], reaches", "apart: 2 seconds}], avoids"),
    )
    wrong = run("expect", "plan.yaml", "wrong.yaml")

    assert run("expect", "plan.yaml", "cases.yaml").code == 0
    assert wrong.code == 1
    assert "stopped at limit: 2 events of the same logger had passed within 1 minute before" in " ".join(wrong.out.split())
    recorded = run("expect", "plan.yaml", "e.jsonl", "--record").out
    write("recorded.yaml", recorded)
    assert run("expect", "plan.yaml", "recorded.yaml").code == 0


def test_pressure_by_hand(run: Run) -> None:
    found = run("pressure", "plan.yaml", "e.jsonl", "--json").json
    a, b, c = found["appenders"]
    at = "2026-11-02T08:00:00Z"

    assert (found["events"], found["several"], found["streamed"], found["first"]) == (8, 0, 0, at)
    assert (a["arrived"], a["written"], a["limit"]["stopped"]) == (6, 3, 3)
    assert a["limit"]["of"] == [{"logger": "gate", "level": level, "events": 1} for level in ("debug", "info", "error")]
    assert (b["recall"]["recalled"], b["recall"]["stopped"], b["recall"]["pushed_out"], b["recall"]["left"]) == (2, 3, 1, 2)
    assert c["queue"] == {"dropped": 1, "of": [{"logger": "door.requests", "level": "notice", "events": 1}], "longest": 2,
                          "late": {"median": 2.0, "p95": 3.0, "longest": 3.0}, "held_seconds": 1.0}  # fmt: skip
    assert (c["busiest"]["second"]["at"], c["busiest"]["second"]["events"], c["busiest"]["hour"]["events"]) == (at, 2, 6)


@pytest.mark.parametrize(
    "words, said",
    [
        (["--advice"], "--advice and --late go together"),
        (["--late", "1 minute"], "--advice and --late go together"),
        (["--advice", "--late", "soon"], "is not a duration"),
        (["--seed", "3"], "--seed has no effect without --scale"),
        (["--appender", "d"], 'no appender is called "d"'),
        (["--plot", "x.gif"], "is no kind of picture"),
        (["--set", "appenders.c.queue=null", "--advice", "--late", "1 minute"], "no appender has a queue"),
        (["--rate", "a info 9000/second", "--repeat", "2"], "more than 50,000,000 events would be made"),
    ],
)
def test_calls_that_cannot_be_answered(run: Run, words: list[str], said: str) -> None:
    found = run("pressure", "plan.yaml", "e.jsonl", *words)

    assert (found.code, found.out) == (2, "")
    assert said in found.err


def test_the_demo_in_its_rush_hour(run: Run, folder: Path) -> None:
    prepare(folder)
    codes = {one["code"] for one in run("check", "plan.yaml", "--events", "rush.jsonl", "--json").json["findings"]}
    spread = run("pressure", "plan.yaml", "rush.jsonl", "--spread", "--json").json
    verified = run("rehearse", "plan.yaml", "rush.jsonl", "--into", "box", "--stage", "bench", "--verify", "--json")
    drawn = [
        run("pressure", "plan.yaml", "rush.jsonl", "--appender", "gust-table", "--plot", name).code
        for name in ("a.svg", "b.svg")
    ]

    assert {"goes-round", "limit-hides-errors", "needless-queue"} <= codes
    assert spread["several"] == 0
    assert verified.json["verified"] == {"agrees": True, "differences": []}
    assert drawn == [0, 0]
    assert (folder / "a.svg").read_bytes() == (folder / "b.svg").read_bytes()


@pytest.mark.parametrize(
    "keys, said",
    [
        ("limit: {events: 1, per: 1 minute}, recall: {events: 1, below: warn, at: error}", "a has both a limit and a recall"),
        ("limit: {events: 1, per: 0 seconds}", '"per" must be longer than no time'),
        ("limit: {events: 0, per: 1 minute}", '"events" must be from 1'),
        ("limit: {events: 1}", 'a limit needs "per"'),
        (
            "limit: {events: 1, per: 1 minute, same: [threed]}",
            '"threed" is nothing that events are told apart by; did you mean "thread"?',
        ),
        ("limit: {events: 1, per: 1 minute, same: field}", "field needs a name"),
        ("recall: {events: 1, below: error, at: warn}", '"below" (error) is above "at" (warn)'),
        ("recall: {events: 1, below: warm, at: error}", 'level "warm" is not known'),
        ("queue: {events: 1, drains: 0/second}", '"drains" wants a whole number of events and a unit'),
        ("queue: {events: 1, drains: 5/day}", '"drains" wants a whole number of events and a unit'),
        ("queue: {events: 1, drains: 1/hour, full: wiat}", '"full" wants wait, drop or drop-below LEVEL'),
        ("queue: {events: 1, drains: 1/hour, full: drop-below wran}", 'level "wran" is not known'),
        ("queue: {drains: 1/hour}", 'a queue needs "events"'),
    ],
)
def test_what_a_plan_cannot_say(keys: str, said: str) -> None:
    found = faults(f"loggers: {{root: {{to: a}}}}\nappenders: {{a: {{sink: none, {keys}}}}}\n")

    assert any(said in one for one in found), found


MAPPING = r"""vetrina-mapping: 1
reads: lines
channels:
  - {each: {members: 'way\.(?P<n>.+)'}, name: {text: <n>}, logger: {at: $, match: '(?P<l>\S+) .*', text: <l>}, level: {at: $, match: '\S+ (?P<l>.+)', text: <l>}}
loggers: [{each: {members: root}, name: {text: root}, level: $, to: {text: black}}]
appenders:
  - each: {members: 'black\.file'}
    name: {text: black}
    sink: {text: file}
    path: $
    recall: {events: {member: black.last}, below: {member: black.under}, at: {text: error}, same: {text: thread}}
    queue: {events: {text: "100"}, drains: {member: black.speed, match: '(?P<n>\d+)', text: <n>/second}, full: {text: drop-below warn}}
"""


def test_a_document_in_another_format_gives_them_too(run: Run, write: Write) -> None:
    write(
        "box.conf",
        "root = debug\nway.access = door.requests notice\nblack.file = b.log\nblack.last = 200\nblack.under = warn\nblack.speed = 50\n",
    )
    write("box.mapping.yaml", MAPPING)
    found = run("resolve", "box.conf", "--json").json["plan"]

    assert found["channels"] == {"access": {"logger": "door.requests", "level": "notice"}}
    assert found["appenders"]["black"]["recall"] == {"events": 200, "below": "warn", "at": "error", "same": ["thread"]}
    assert found["appenders"]["black"]["queue"] == {"events": 100, "drains": "50/second", "full": "drop-below warn"}


@pytest.mark.parametrize("template", ['{as: json, members: {at: "{time}", l: "{level}", by: "{channel}", say: "{message}"}}',
                                      "{as: json, members: {at: {raw: time}, by: {raw: channel}, say: {raw: message}}}",
                                      '"{time} {level} <{channel}> {message}"'])  # fmt: skip
def test_a_channel_that_a_line_shows_is_read_back(run: Run, write: Write, template: str) -> None:
    write(
        "show.yaml",
        f"vetrina: 1\nchannels: {{access: {{}}, boot: {{}}}}\nloggers: {{root: {{level: all, to: a}}}}\nappenders: {{a: {{sink: file, path: a.log, template: t}}}}\ntemplates: {{t: {template}}}\n",
    )
    write("a.log", run("preview", "show.yaml", "e.jsonl", "--raw", "--appender", "a").out)
    found = run("read", "a.log", "--plan", "show.yaml", "--appender", "a")

    assert found.code == 0
    assert [one.get("channel") for one in found.lines] == [None, None, None, None, "access", "boot", None]
