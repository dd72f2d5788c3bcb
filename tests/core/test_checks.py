"""Every check finds what its page says it finds, and lets pass what its page says is fine."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from plans import faults, in_force
from vetrina.core.base.events import Event
from vetrina.core.base.faults import Refused
from vetrina.core.checks import load, page
from vetrina.core.checks import runner as checking
from vetrina.core.checks.context import HostFacts, PathFacts
from vetrina.core.checks.runner import Circumstances, Finding
from vetrina.core.rolling.playing import Rolling
from vetrina.core.routing.router import Router
from vetrina.core.survey.statements import Statement

CHECKS = load()
START = datetime(2026, 1, 1, tzinfo=UTC)
FROM_PLAN = [code for code, one in CHECKS.items() if one.needs not in {"probe", "network", "document"}]
MACHINE = [code for code, one in CHECKS.items() if one.needs in {"probe", "network"}]


def examples(code: str) -> tuple[str, str]:
    """Return the found and the fine example of a check's page."""
    text = page(CHECKS[code])
    found, fine = text.split("Found::\n\n")[1].split("Fine::\n\n")
    return tuple(re.sub(r"^ {4}", "", one, flags=re.MULTILINE).strip() + "\n" for one in (found, fine))  # type: ignore[return-value]


def events(text: str) -> list[Event]:
    made = []
    for line in text.split("# events\n")[1].splitlines() if "# events" in text else []:
        many = re.match(r"# (\d+) times (each )?(?:over (\d+) days )?(\w+) (\S+) (\S+)", line)
        if many:
            count, step = int(many[1]), timedelta(days=int(many[3] or 0)) / int(many[1])
            made += [Event(START + at * step, many[4], many[5], f"{many[6]}{at if many[2] else ''}") for at in range(count)]
            continue
        level, logger, message, *more = line.split()
        given: dict[str, Any] = dict(word.split("=") for word in more)
        time = START + timedelta(seconds=int(given.pop("after", 0)))
        made.append(Event(time, level, logger, message, **given))
    return made


def statements(text: str) -> tuple[Statement, ...] | None:
    """Return the statements after `# source`: a level, a logger and a message on each line."""
    lines = text.split("# source\n")[1].splitlines() if "# source" in text else []
    words = [line.split(maxsplit=2) for line in lines]
    made = [
        Statement("gate.py", at, logger, level, text, (), error=False, sure=True)
        for at, (level, logger, text) in enumerate(words, 1)
    ]
    return tuple(made) if lines else None


def findings(body: str, **known: object) -> list[Finding]:
    """Return what `check` says of a plan."""
    plan = re.split("# (?:events|source)\n", body, maxsplit=1)[0]
    stages = tuple(re.findall(r"^# stage (\w+)", body, re.MULTILINE))
    try:
        found = in_force("vetrina: 1\n" + plan, stages=stages)
    except Refused as refused:
        return [checking.from_fault(fault) for fault in refused.faults]
    looking = checking.Looking(Router(found.plan))
    looking.feed(events(body))
    seen = looking.result() if "# events" in body else None
    rolling = Rolling(Router(found.plan), ratio=1)
    rolling.feed(events(body))
    rolled = checking.rolled_files(rolling) if "# events" in body else None
    rush = looking.rush() if "# events" in body else None
    return checking.check(found, Circumstances(seen=seen, rolled=rolled, rush=rush, statements=statements(body), **known))  # type: ignore[arg-type]


@pytest.mark.parametrize("code", FROM_PLAN)
def test_the_found_example_has_the_finding_and_the_fine_one_has_not(code: str) -> None:
    bad, good = examples(code)
    told = [one for one in findings(bad) if one.code == code]

    assert told, f"not found: {code}"
    assert all(
        one.message and one.remedy + one.why and (one.place or one.where) for one in told if CHECKS[code].needs != "fault"
    )
    assert not {one.code for one in findings(good)} & {
        code,
        *(name for name, check in CHECKS.items() if check.needs == "fault"),
    }


WITH_EDIT = [
    code
    for code in FROM_PLAN
    if CHECKS[code].needs == "plan"
    and code != "idle-layer"
    and any(one.edit for one in findings(examples(code)[0]) if one.code == code)
]


def mended(body: str, edit: str) -> list[Finding]:
    """Return what `check` says of a plan after the edit of a finding."""
    from vetrina.core.config.resolution import SetOption, TuneOption, parse_path
    from vetrina.core.schema.nodes import Source, synthetic
    from vetrina.formats.documents import read_document

    option, _, text = edit.partition(" ")
    source = Source(edit, "option")
    tunes: list[TuneOption] = []
    sets: list[SetOption] = []
    if option == "--tune":
        logger, level = text.rsplit("=", 1)
        tunes.append(TuneOption(edit, logger, level, source))
    else:
        parsed = parse_path(text.strip("'"))
        node = read_document(parsed[1][1:], source, lambda _fault: None)
        sets.append(SetOption(edit, parsed[0], node or synthetic(source, ""), source))
    return checking.check(in_force("vetrina: 1\n" + body, sets=tuple(sets), tunes=tuple(tunes)), Circumstances())


@pytest.mark.parametrize("code", WITH_EDIT)
def test_the_edit_of_a_finding_mends_it(code: str) -> None:
    bad, _ = examples(code)
    first = next(one for one in findings(bad) if one.code == code and one.edit)

    assert first.message not in {one.message for one in mended(bad, first.edit) if one.code == code}


FOLDER = PathFacts("/x", exists=True, is_folder=True, writable=True, free=50 << 30, total=100 << 30, ignored=True)
HOST = HostFacts("h", 80, known=True, open=True, asked_port=True)


@pytest.mark.parametrize(
    "code, paths, hosts",
    [
        ("missing-folder", PathFacts("/x", False, False, False, 50 << 30, 100 << 30, None), HOST),
        ("not-a-folder", PathFacts("/x", True, False, False, 50 << 30, 100 << 30, None), HOST),
        ("unwritable", PathFacts("/x", True, True, False, 50 << 30, 100 << 30, None), HOST),
        ("nearly-full", PathFacts("/x", True, True, True, 4 << 30, 100 << 30, None), HOST),
        ("unignored-logs", PathFacts("/x", True, True, True, 50 << 30, 100 << 30, False), HOST),
        ("unknown-host", FOLDER, HostFacts("h", 80, False, False, False)),
        ("closed-port", FOLDER, HostFacts("h", 80, True, False, True)),
    ],
)
def test_what_the_machine_says_becomes_findings(code: str, paths: PathFacts, hosts: HostFacts) -> None:
    body = 'loggers: {root: {to: [a, b]}}\nappenders: {a: {sink: file, path: /x/a.log}, b: {sink: http, url: "http://h/"}}\n'
    bad = findings(body, paths={"a": paths}, hosts={"b": hosts})
    fine = findings(body, paths={"a": FOLDER}, hosts={"b": HOST})

    assert {one.code for one in bad} & set(MACHINE) == {code}
    assert not {one.code for one in fine} & set(MACHINE)


def test_many_checks_have_an_edit() -> None:
    assert len(WITH_EDIT) > 20


def test_codes_are_their_modules_names_and_every_page_has_its_examples() -> None:
    for code, one in CHECKS.items():
        text = page(one)

        assert text.startswith(f"{code}: "), code
        assert ("Found::" in text and "Fine::" in text) or code in MACHINE, code


CLEAN = """
loggers: {root: {level: info, to: [book, post]}, ropeway.gate: warn}
appenders:
  book: {sink: file, path: /var/log/sereno/book.log, floor: info, template: line,
    roll: {every: day, rename-to: "/var/log/sereno/book-{period|%Y-%m-%d}.log.gz", keep: {age: 14 days}}}
  post: {sink: mail, host: h, from: a@x.example, recipients: b@x.example, floor: error, buffer: {events: 9, age: 1 minute, at-once: error}, template: line, waive: [
    {check: mail-flood, why: few errors}]}
templates: {line: "{time} {level} {logger} {message|mask|oneline} | {error|mask}"}
"""


def test_a_clean_plan_yields_nothing() -> None:
    assert findings(CLEAN) == []


def test_waivers_silence_where_they_stand_and_idle_ones_are_told() -> None:
    body = "loggers: {root: {to: a}, x: {climb: false, waive: [{check: dead-end, why: known}]}, y: {climb: false}}\nappenders: {a: {sink: none}}\n"
    misspelt = body.replace("dead-end", "dead-edn")

    assert [(one.code, one.subject) for one in findings(body)] == [("dead-end", "logger y")]
    assert [(one.code, one.subject) for one in findings(misspelt)] == [
        ("dead-end", "logger x"),
        ("unused-waiver", "logger x"),
        ("dead-end", "logger y"),
    ]
    assert [one.code for one in findings("waive: [{check: dead-end, why: all of them}]\n" + body)] == []


def test_limits_can_be_set() -> None:
    body = "loggers: {root: {to: a}, x: debug, x.y: {}, x.z: {}}\nappenders: {a: {sink: file, path: /x/a.log}}\nwaive: [{check: endless-file, why: short}]\n"
    found = in_force("vetrina: 1\n" + body)

    def codes(limit: float) -> set[str]:
        return {one.code for one in checking.check(found, Circumstances(limits={"wide-debug": {"loggers": limit}}))}

    assert "wide-debug" not in codes(5)
    assert "wide-debug" in codes(3)


def test_findings_on_stages_are_told_once_with_the_stages_they_hold_for() -> None:
    text = "vetrina: 1\nloggers: {root: {to: a}, x: {climb: false}}\nappenders: {a: {sink: none}}\nstages: {s: {loggers: {x: {climb: true, level: warn}}}, t: {loggers: {x: off}}}\n"
    told = checking.check_stages(
        lambda stage: in_force(text, stages=(stage,) if stage else ()), ["s", "t"], Circumstances(), frozenset()
    )

    assert [(one.code, one.stages) for one in told] == [("dead-end", ("no stage", "t")), ("silenced-errors", ("t",))]


@pytest.mark.parametrize(
    "rules, found",
    [
        ("[{drop: {}}]", 1),
        ("[{drop: {level: all..}}]", None),
        ("[{drop: {level: trace..}}, {drop: {}}]", 1),
        ("[{drop: {level: ..error, logger: root}}]", 0),
        ("[{drop: {level: warn..}}]", 1),
        ("[{drop: {error: true}}, {drop: {logger: ropeway}}]", 1),
        ("[{keep: {error: true}}, {drop: {}}]", 0),
        ("[{drop: {any: [{error: true}, {logger: ropeway.gate}]}}]", 1),
        ("[{drop: {logger: ropeway.gate.scanner}}]", 0),
    ],
)
def test_a_rule_that_drops_everything_is_told_where_it_does(rules: str, found: int | None) -> None:
    body = f"loggers: {{ropeway.gate: {{level: warn, to: a}}}}\nappenders: {{a: {{sink: none, rules: {rules}}}, b: {{sink: none, rules: [{{drop: {{logger: x}}}}]}}}}\n"
    if found is None:
        assert faults(body), "a range of levels has no such end"
        return

    assert [one.subject for one in findings(body) if one.code == "drops-all"] == ["appender a"] * found


BOOKS = "appenders: {{all: {{sink: none}}, low: {{sink: none, {low}}}, errors: {{sink: none, {high}}}}}\n"
DIVIDED = BOOKS.format(low="ceiling: info", high="floor: error")
RULED = BOOKS.format(low="rules: [{drop: {level: warn..}}]", high="rules: [{keep: {level: error..}}], otherwise: drop")


@pytest.mark.parametrize(
    "body, words",
    [
        pytest.param(f"loggers: {{root: {{level: info, to: [low, errors]}}}}\n{DIVIDED}", ["notice and warn of root fall between low (up to info) and errors (from error on)", "neither of the two", "floor=notice"], id="by windows"),
        pytest.param(f"loggers: {{root: {{level: info, to: [low, errors]}}}}\n{RULED}", ["warn of root fall between low (up to notice) and errors (from error on)", "let the rules"], id="by rules"),
        pytest.param(f"loggers: {{root: {{level: info, to: [all, low, errors]}}}}\n{RULED}", ["warn of root", "only to all, which takes every level"], id="beside one that takes everything"),
        pytest.param(f"loggers: {{root: {{level: info, to: all}}, x: {{to: [low, errors]}}}}\n{RULED}", ["warn of x", "only to all"], id="beside one above that takes everything"),
        pytest.param(f"loggers: {{root: {{level: info, to: [{{appender: all, floor: warn, ceiling: warn}}]}}, x: {{to: [low, errors]}}}}\n{RULED}", [], id="one above that takes what is between"),
        pytest.param(f"loggers: {{root: {{level: error, to: [low, errors]}}}}\n{RULED}", [], id="what the level stops anyway"),
        pytest.param("loggers: {root: {level: info, to: [a, b]}}\nappenders: {a: {sink: none, floor: warn}, b: {sink: none, rules: [{keep: {message: x}}], otherwise: drop}}", [], id="a rule that asks for the message may let it through"),
    ],
)  # fmt: skip
def test_levels_that_fall_between_appenders(body: str, words: list[str]) -> None:
    found = [one for one in findings(body) if one.code == "window-gap"]

    assert bool(found) is bool(words)
    text = " ".join(f"{one.message} {one.why} {one.remedy} {one.edit}" for one in found)
    assert [word for word in words if word not in text] == [], text


LETTERS = "letters: {sink: mail, host: h, from: a@x.example, recipients: b@x.example"


@pytest.mark.parametrize(
    "loggers, rules, words",
    [
        ("root: {to: [a, letters]}", "rules: [{drop: {logger: x}}, {drop: {}}]", ["let rule 1 of letters spare errors", "appenders[letters].rules[1].drop.level=..warn"]),
        ("root: {to: [a, letters]}", "rules: [{drop: {level: error..}}]", ["let rule 0 of letters spare errors"]),
        ("root: {to: [a, letters]}", "rules: [{keep: {level: ..warn}}], otherwise: drop", ["add a rule to letters that keeps errors", "keep: {level: error..}"]),
        ("root: {to: [a, {appender: letters, rules: [{drop: {}}]}]}", "", ["let rule 0 of root's attachment spare errors", "loggers[root].to[1].rules[0].drop.level=..warn"]),
        ("root: {to: [a, {appender: letters, ceiling: warn}]}", "", ["widen the window of root's attachment"]),
        ("root: {to: [a, letters]}, x: {to: a, climb: false}", "", ["attach letters to x", "loggers[x].to={add: [letters]}"]),
    ],
)  # fmt: skip
def test_advice_names_the_gate_that_keeps_errors_away(loggers: str, rules: str, words: list[str]) -> None:
    body = f"loggers: {{{loggers}}}\nappenders: {{a: {{sink: none}}, {LETTERS}{', ' if rules else ''}{rules}}}}}\n"
    (found,) = [one for one in findings(body) if one.code == "unheard-errors"]

    text = f"{found.remedy} {found.edit}"
    assert [word for word in words if word not in text] == [], text
    assert ("attach letters" in text) is ("attach letters to x" in words)
    if found.edit:
        assert "unheard-errors" not in {one.code for one in mended(body, found.edit)}


def test_what_is_unattached_under_a_stage_is_said_of_the_stage() -> None:
    body = "loggers: {root: {to: [a, b]}}\nappenders: {a: {sink: none}, b: {sink: none}}\nstages: {live: {loggers: {root: {to: [a]}}}}\n"

    assert "unattached" not in {one.code for one in findings(body)}
    (found,) = [one for one in findings(body + "# stage live\n") if one.code == "unattached"]
    assert (found.message, found.why) == (
        "appender b is attached to no logger under stage live",
        "nothing will arrive in its sink then",
    )
