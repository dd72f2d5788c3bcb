"""Every option is obeyed or refused, alone and beside every other one: nothing is accepted and ignored."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterator
from importlib import import_module
from itertools import combinations
from pathlib import Path
from typing import Any

import pytest
import typer
from typer.testing import CliRunner

from support import event
from vetrina.commands import overview
from vetrina.core.base.faults import Refused

PLAN = """vetrina: 1
zone: ${ZONE:-Europe/Rome}
workdir: /x
values: {lowest: "${LOWEST:-info}", idle: "x"}
loggers: {root: {level: warn, to: [desk, book, desk]}, a: "${lowest}", a.b: info, a.b.c: {level: debug}, b: {to: side, climb: false}, off: {enabled: false}}
appenders:
  desk: {sink: console, template: "{time} {level} {logger} {message}"}
  book: {sink: file, path: book.log, floor: "${FLOOR:-all}", template: long, roll: {every: day, at-size: 400 B, rename-to: "b-{period|%j}.{n}.gz", keep: {files: 2}}}
  side: {sink: file, path: "${SIDE:-side}.log", buffer: {events: 3}}
templates: {long: "{time} {message|mask} %(password)s {error}"}
rules: [{drop: {logger: c, level: error}}]
stages: {live: {loggers: {a: debug}, appenders: {book: {floor: warn}}}, dark: {loggers: {root: {level: error}}}}
"""
LAYER = "loggers: {a: trace, b: {level: debug}}\nappenders: {book: {floor: error}, side: {enabled: false}}\n"
LOG = "".join(
    f"2026-11-{9 + at % 4:02}T0{at % 7}:12:00.000Z {['info', 'error'][at % 2]} {['a', 'b', 'a.b', 'c'][at % 4]} é{at} x={at % 3} password=q{at}\n"
    for at in range(24)
)
CASES = "vetrina-expect: 1\ncases: [{say: it arrives, event: {logger: a, level: info, message: x}, reaches: book}, {say: not here, event: {logger: b, level: debug, message: y}, avoids: side}]\n"
EVENTS = [
    event(["a", "a.b.c", "b", "c"][at % 4], ["debug", "info", "error"][at % 3], f"m{at} {{gate}} password=x",
          time=f"2026-11-{9 + at % 4:02}T0{at % 7}:12:00Z", fields={"gate": at % 2}, error="Boom: x" if at % 5 == 0 else None, thread="tu"[at % 2])
    for at in range(40)
]  # fmt: skip
MORE = [
    event(logger, level, f"more {at}", time=f"2026-11-{9 + at:02}T01:00:00Z", fields={"gate": 0})
    for at, (logger, level) in enumerate([("a", "info"), ("b", "error"), ("a.b", "info"), ("off", "error"), ("d", "warn")])
]
BENCH = [
    event(
        ["b.deep", "a", "b"][at % 3],
        ["debug", "error", "error", "info"][at % 4],
        f"bench {at} {{gate}}",
        time=f"2026-11-{2 + at % 2:02}T0{at % 5}:0{at % 7}:00Z",
        fields={"gate": at % 2},
    )
    for at in range(80)
]
MAPPING = """vetrina-mapping: 1
reads: yaml
levels: {info: notice, warn: error, debug: trace}
placeholder: '\\$\\{(?P<name>\\w+)(?::-(?P<default>[^}]*))?\\}'
values: [{each: {of: $.values, members: '(?P<n>.+)'}, name: {text: <n>}, value: $}]
loggers:
  - {each: {of: $.loggers, members: '(?P<n>.+)', value: .}, name: {text: <n>}, level: $}
  - {each: '$.loggers[?@.to || @.level]', name: {key: 0}, level: $.level, to: $.to, climb: $.climb}
  - {each: '$.loggers[?@.enabled == false]', name: {key: 0}, enabled: $.enabled}
appenders: [{each: {of: $.appenders, members: '(?P<n>.+)'}, name: {text: <n>}, sink: $.sink, path: $.path, template: $.template}]
templates: [{each: {of: $.templates, members: '(?P<n>.+)'}, name: {text: <n>}, text: $}]
stages: [{each: {of: $.stages, members: '(?P<n>.+)'}, name: {text: <n>}}]
"""
READING = {"--by": ["odd.mapping.yaml"], "--stage": ["live"], "--with": ["layer.yaml"], "--env": ["LOWEST=error"], "--env-file": ["some.env"], "--set": ["templates.long='{time} changed {message}'"],
           "--tune": ["root=debug"]}  # fmt: skip
FINDING: dict[str, list[str]] = {
    "--shift": ["week.jsonl=2 hours"], "--logger": ["a"], "--not-logger": ["b"], "--level": ["info.."], "--message": ["1"], "--text": ["x"], "--ignore-case": ["--text", "BOOM"],
    "--thread": ["t"], "--field": ["gate=0"], "--error": [], "--no-error": [], "--since": ["2026-11-10"], "--until": ["2 days"], "--between": ["m3 ", "m8 "], "--keep": ["{level: error}"],
    "--drop": ["{logger: a}"], "--around": ["1", "--logger", "c"], "--first": ["9"], "--last": ["11"], "--as-is": [], "--columns": ["time,message"], "--as": ["{message}"], "--fold": [], "--count-by": ["level"],
    "--journey": ["gate"], "--journey-in": ["(?P<it>[0-9])"], "--blocks": ["m[147]", "m[369]"], "--copy": ["out.log"], "--zone": ["Asia/Tokyo"], "--fail-on": ["some"], "--where": [],
}  # fmt: skip
LEARNED = ["--tune", "b=debug", "--learn", "bench.jsonl"]
LEARNING = {"--seed": ["3"], "--recorded-under": ["quiet.yaml"], "--recorded-stage": ["live"]}
COMMANDS: dict[str, tuple[list[str], dict[str, list[str]]]] = {
    "levels": (["plan.yaml"], READING | {"--set": ["loggers.a.level=trace"]} | {"--under": ["a"], "--depth": ["0"], "--differs": [], "--find": ["b"]}),
    "resolve": (["plan.yaml"], READING | {"--defaults": [], "--bare": []}),
    "origin": (["plan.yaml", "loggers.a.level"], {key: READING[key] for key in READING if key not in {"--set", "--tune"}} | {"--set": ["loggers.a.level=warn"], "--tune": ["a=error"], "--unused": []}),
    "origin:unused": (["plan.yaml", "--unused"], READING),
    "routes": (["plan.yaml", "week.jsonl"], READING | {"--set": ["appenders.book.floor=error"]} | {"--each": [], "--counts-only": [], "--logger": ["a"], "--level": ["info.."], "--field": ["gate=0"],
               "--appender": ["book"], "--also": ["more.jsonl"], "--group-by": ["field", "gate"], "--plot": ["out.svg"], "--fail-on": ["lost-errors"]}),
    "why": (["plan.yaml", "--logger", "a.b", "--level", "info"], READING | {"--set": ["loggers[a.b].level=warn"], "--tune": ["a.b=error"], "--env": ["FLOOR=fatal"], "--stage": ["live"]} | {"--message": ["m"], "--channel": ["access"], "--field": ["gate=1"], "--error": ["Boom"], "--to": ["side"], "--twice": [], "--events": ["week.jsonl"], "--also": ["more.jsonl"]}),
    "check": (["plan.yaml", "--events", "week.jsonl"], READING | {"--set": ["loggers.off.enabled=true"], "--env": ["SIDE=/x/public/side"], "--tune": ["a.b=off"], "--all-stages": [], "--probe": [], "--fail-on": ["error"], "--only": ["unseen-logger"], "--skip": ["twice"],
              "--limit": ["loud-logger.least=5", "--limit", "loud-logger.share=5"], "--sarif": ["out.sarif"], "--junit": ["out.xml"], "--source": ["gate.py"], "--explain": ["unseen-logger"], "--list": [], "--also": ["more.jsonl"]}),
    "preview": (["plan.yaml", "week.jsonl"], READING | {"--appender": ["book"], "--logger": ["a"], "--level": ["info"], "--first": ["1"], "--remarks": [],
                "--side-by-side": ["desk", "book"], "--raw": [], "--explain": [], "--zone": ["Asia/Tokyo"], "--template": ["{message}"], "--also": ["more.jsonl"]}),
    "preview:template": (["--template", "{time} {message|mask}", "week.jsonl"], READING | {"--appender": ["book"], "--logger": ["a"], "--level": ["info"], "--first": ["1"],
                         "--remarks": [], "--side-by-side": ["desk", "book"], "--raw": [], "--explain": [], "--zone": ["Asia/Tokyo"]}),
    "rolling": (["plan.yaml", "week.jsonl"], READING | {"--appender": ["book"], "--ratio": ["0.5"], "--on": ["2026-11-11T12:00"], "--names": [], "--repeat": ["2"], "--scale": ["2"],
                "--rate": ["a error 1/hour"], "--runs": ["2"], "--seed": ["3"], "--disk": ["300 B"], "--history": ["2 days"], "--also": ["more.jsonl"],
                "--learn": ["bench.jsonl"], "--recorded-under": ["quiet.yaml"], "--recorded-stage": ["live"]}),
    "pressure": (["rush.yaml", "week.jsonl"], READING | {"--set": ["appenders.side.limit={events: 1, per: 1 hour}"]} | {"--appender": ["side"], "--scale": ["2"],
                 "--rate": ["a error 1/hour"], "--repeat": ["2"], "--seed": ["3"], "--advice": ["--late", "1 minute"], "--late": ["1 minute"], "--also": ["more.jsonl"],
                 "--learn": ["bench.jsonl"], "--recorded-under": ["quiet.yaml"], "--recorded-stage": ["live"]}),
    "whatif": (["plan.yaml", "week.jsonl", "--tune", "a=debug"], {key: READING[key] for key in READING if key not in {"--set", "--tune"}} | {"--set": ["deliver=once"],
               "--to-with": ["layer.yaml"], "--to-stage": ["dark"], "--must-show": ["logger=a,level=debug"], "--rate": ["a error 1/minute"], "--repeat": ["3"],
               "--ratio": ["0.3"], "--note": ["out.md"], "--page": ["out.html"], "--also": ["more.jsonl"], "--learn": ["bench.jsonl"], "--recorded-under": ["quiet.yaml"],
               "--recorded-stage": ["live"], "--seed": ["3"]}),
    "page": (["plan.yaml", "week.jsonl", "--out", "out.html"], {key: READING[key] for key in READING if key not in {"--set", "--tune"}} | {"--set": ["deliver=once"], "--tune": ["a=debug"],
             "--title": ["Gate 2"], "--also": ["more.jsonl"]}),
    "whatif:learn": (["plan.yaml", "week.jsonl", *LEARNED], LEARNING | {"--rate": ["b debug 1/minute"]}),
    "rolling:learn": (["plan.yaml", "week.jsonl", *LEARNED], LEARNING | {"--rate": ["b debug 1/minute"], "--repeat": ["2"], "--scale": ["2"]}),
    "pressure:learn": (["rush.yaml", "week.jsonl", *LEARNED], LEARNING),
    "survey": (["gate.py", "--plan", "plan.yaml", "--events", "week.jsonl"], READING | {"--set": ["loggers.a=error"], "--env": ["LOWEST=error"], "--also": ["more.jsonl"], "--level-word": ["loud=error"],
               "--as-events": ["out.jsonl"], "--unexplained": [], "--unspoken": []}),
    "survey:plan": (["gate.py", "--plan", "plan.yaml"], {"--unspoken": [], "--events": ["week.jsonl"]}),
    "compare": (["plan.yaml", "other.yaml"], READING | {"--set": ["appenders.side.path=elsewhere.log"], "--env": ["FLOOR=fatal"], "--told-by": ["appender"], "--other-by": ["odd.mapping.yaml"], "--other-stage": ["live"], "--other-with": ["layer.yaml"],
                "--other-set": ["appenders.book.ceiling=error"], "--other-tune": ["b=error"]}),
    "apply": (["plan.yaml", "--tune", "b=error", "--yes"], {"--set": ["deliver=once"], "--into": ["new.yaml"], "--in-stage": ["live"], "--dry-run": [], "--by": ["odd.mapping.yaml"],
              "--stage": ["dark"], "--with": ["layer.yaml"], "--env": ["LOWEST=error"], "--env-file": ["some.env"]}),
    "expect": (["plan.yaml", "cases.yaml"], READING | {"--set": ["loggers.a.level=off"]} | {"--record": [], "--junit": ["out.xml"], "--also": ["more.jsonl"]}),
    "read": (["app.log", "--template", "{time} {level} {logger} {message} {fields}"], {"--draft": [], "--plan": ["plan.yaml"], "--appender": ["desk"], "--zone": ["Asia/Tokyo"], "--date": ["2026-11-13"], "--encoding": ["latin-1"],
             "--default-level": ["warn"], "--logger": ["a"], "--level": ["error"], "--field": ["x=1"], "--since": ["2026-11-10"], "--until": ["2026-11-12"], "--first": ["2"]}
             | {key: READING[key] for key in READING}),
    "find": (["week.jsonl", "more.jsonl"], FINDING),
    "find:blocks": (["week.jsonl", "more.jsonl", "--blocks", "m[147]", "m[369]"], {"--per": ["field gate"], "--copy": ["out.log"], "--count-by": ["level"]}),
    "find:log": (["app.log", "--template", "{time} {level} {logger} {message} {fields}"], {"--zone": ["Asia/Tokyo"], "--encoding": ["latin-1"], "--date": ["2026-11-13"], "--separator": ["/", "--logger", "a"], "--plan": ["plan.yaml"],
                 "--appender": ["desk"], "--copy": ["out.log"]}),
    "find:copy": (["app.log", "--template", "{time} {level} {logger} {message} {fields}", "--copy", "out.log"], {"--mask": []}),
    "find:plan": (["app.log", "--plan", "plan.yaml", "--appender", "desk", "--logger", "a"], READING | {"--env": ["ZONE=Asia/Tokyo"], "--set": ["zone=Asia/Tokyo"], "--zone": ["Asia/Tokyo"], "--template": ["{message}"], "--where": [], "--separator": ["/"]}),
    "adopt": (["plan.yaml", "--by", "odd.mapping.yaml"], {"--explain": [], "--draft": [], "--reads": ["yaml"]}),
    "adopt:draft": (["plan.yaml", "--draft"], {"--reads": ["lines"], "--by": ["odd.mapping.yaml"], "--explain": []}),
    "undo": (["plan.yaml"], {"--all": [], "--list": [], "--dry-run": []}),
}  # fmt: skip
ALL: dict[str, list[str]] = {"--json": []}
EFFECTLESS = {
    "JSON and pipes are whole": {"--wide"},
    "a pipe has every file": {"--all"},
    "it stops everything at the first bad line, and there is none": {"--strict"},
    "it takes the message from a file in place of the others, and is refused with them": {"--from"},
    "it begins another candidate; tested with the candidates": {"--or"},
    "it dials other machines": {"--probe-network"},
    "the answer is the same whoever reads: tested with pieces, workers and a cluster": {"--workers", "--cluster"},
    "it answers a question that undo asks about files outside the plan's folder": {"--yes"},
    "the files' bytes stay the same: tested with the pictures": {"--plot"},
    "no line here stands for several: tested with the rush hour": {"--spread"},
    "no error here has so many lines, no file grows: tested with what is found": {"--stacks", "--follow"},
}
"""Options that this test leaves out, each with the reason."""
ONCE_EACH = {"--by", "--stage", "--with", "--env", "--env-file", "--tune"}
"""What a plan is read with: tried alone, and `--set` for all of them beside the others; which one wins is tested elsewhere."""


MASKED = {
    "levels": {"--differs beside --under", "--under beside --find", "--differs beside --find"},  # a part of a part
    "routes": {"--fail-on beside --logger", "--fail-on beside --field"},  # no error is lost in this part
    "check": {
        "--all-stages beside --only",
        "--set beside --only",
        "--probe beside --only",
        "--fail-on beside --only",
        "--limit beside --only",
        "--skip beside --only",
        "--also beside --only",
        "--source beside --only",
    },  # that check finds nothing there
    "preview": {
        "--logger beside --appender",
        "--logger beside --level",
        "--logger beside --side-by-side",
        "--remarks beside --set",
        "--also beside --side-by-side",
        "--also beside --level",  # the first events are those of the first file
    },
    "preview:template": {"--logger beside --first", "--logger beside --explain"},  # the first event is of this logger
    "rolling": {"--repeat beside --on"},  # the folder stands as it does before the second round
    "pressure": {"--late beside --advice"},  # it is in it
    "survey": {
        "--set beside --unexplained",
        "--level-word beside --unexplained",  # what explains an event does not hang on where it goes
        "--also beside --json",  # no statement explains the further events
    },
    "whatif": {"--seed beside --learn"},  # nothing is learned of what changes there, so nothing is drawn
    "why": {"--set beside --channel"},  # it goes round all that could be set
    "apply": {"--stage", "--env", "--env-file"},  # what the plan is read with, where the change does not depend on it
    "compare": {"--other-stage beside --other-with"},  # the layer says so as well
    "find": {
        *(
            f"--as-is beside {other}"
            for other in ("--around", "--between", "--blocks", "--error", "--ignore-case", "--text", "--thread")
        ),  # what is left lies in one source, or in order
        *(
            f"{one} beside {other}"
            for one in ("--first", "--last", "--text")
            for other in ("--between", "--error", "--ignore-case")
        ),
        *(f"{one} beside --around" for one in ("--drop", "--last", "--message", "--not-logger", "--since", "--text")),
        *(
            f"--zone beside {other}" for other in ("--as", "--blocks", "--count-by", "--json")
        ),  # they show no time, or the instant
        "--error beside --ignore-case",
        "--error beside --no-error",
        "--field beside --thread",
        "--journey-in beside --journey",
        "--level beside --keep",
        "--not-logger beside --logger",
        "--shift beside --blocks",
        "--shift beside --count-by",
        "--since beside --drop",
        "--text beside --thread",
    },
    "find:log": {"--zone beside --json"},
    "find:plan": {
        "--stage",
        "--with",
        "--tune",
        "--set beside --json",
    },  # what the plan is read with, where its template does not depend on it
    "read": {"--until beside --logger", "--since beside --level", "--until beside --first"},  # a part of a part
}
"""What one option hides of another on this data, by command, with the reason."""


def setup(folder: Path) -> None:
    rush = PLAN.replace("side: {sink: file,", "side: {sink: file, queue: {events: 2, drains: 1/hour},")
    files = {"plan.yaml": PLAN, "rush.yaml": rush, "other.yaml": PLAN.replace("400 B", "500 B").replace("SIDE:-side", "SIDE:-beside"), "layer.yaml": LAYER, "cases.yaml": CASES, "odd.mapping.yaml": MAPPING, "some.env": "FLOOR=warn\nLOWEST=fatal\nZONE=Asia/Tokyo\n",
             "week.jsonl": "".join(json.dumps(one) + "\n" for one in EVENTS), "more.jsonl": "".join(json.dumps(one) + "\n" for one in MORE), "app.log": LOG,
             "gate.py": "LOG = get_logger('a'); LOG.info('m {x}'); LOG.loud('x'); get_logger('b').debug('y', {'gate': 1})\n",
             "bench.jsonl": "".join(json.dumps(one) + "\n" for one in BENCH), "quiet.yaml": "vetrina: 1\nloggers: {root: {level: error, to: d}}\nappenders: {d: {sink: none}}\nstages: {dark: {loggers: {root: fatal}}}\n"}  # fmt: skip
    for name, text in files.items():
        (folder / name).write_text(text)


def call(command: str, words: list[str], folder: Path, monkeypatch: pytest.MonkeyPatch) -> tuple[Any, ...]:
    """Return all that a call does: exit code, output, files; an exit code of 2 where it is refused."""
    for old in folder.iterdir():
        old.unlink()
    setup(folder)
    monkeypatch.chdir(folder)
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1795000000")
    monkeypatch.setattr("vetrina.views.page.parts._Gallery._draws", lambda _: False)
    if command == "undo":
        CliRunner().invoke(app_of("apply"), ["plan.yaml", "--tune", "a.b=error", "--yes"])
        CliRunner().invoke(app_of("apply"), ["plan.yaml", "--tune", "b=error", "--yes"])
    found = CliRunner().invoke(app_of(command), words)
    if found.exception is not None and not isinstance(found.exception, SystemExit):
        assert isinstance(found.exception, Refused), (words, repr(found.exception))
        return (2, "; ".join(fault.what for fault in found.exception.faults))
    files = {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted(folder.iterdir())}
    return (found.exit_code, found.stdout, re.sub(r"in \d+\.\d\d s", "", found.stderr), files)


def app_of(command: str) -> typer.Typer:
    """Return the program of one command; what follows a colon names another way to call it."""
    module = import_module(f"vetrina.commands.{command.partition(':')[0]}")
    app = typer.Typer(add_completion=False, rich_markup_mode=None, pretty_exceptions_enable=False)
    app.command(command, cls=getattr(module, "Command", None))(module.run)
    return app


def flags(command: str) -> Iterator[str]:
    one = typer.main.get_command(app_of(command))
    for param in one.params:
        if param.opts[0].startswith("--") and param.name != "help":
            yield param.opts[0]


@pytest.mark.parametrize(
    "command",
    [name for name in overview.COMMANDS if name not in {"tour", "receive", "schema", "rehearse", "live", "capture", "mimic"}],
)
def test_every_option_is_known_to_this_test(command: str) -> None:
    known = {flag for some in EFFECTLESS.values() for flag in some} | set(ALL)
    for name, (base, options) in COMMANDS.items():
        known |= {*base, *options} if name == command or name.startswith(f"{command}:") else set()

    assert set(flags(command)) <= known, command


@pytest.fixture
def every_pair(request: pytest.FixtureRequest) -> bool:
    """Tell whether every pair is tried; else a third of them, and each option by itself."""
    return bool(request.config.getoption("--long"))


@pytest.mark.parametrize("command", COMMANDS)
def test_every_option_has_an_effect_beside_every_other_or_is_refused(
    command: str, folder: Path, monkeypatch: pytest.MonkeyPatch, every_pair: bool
) -> None:
    base, own = COMMANDS[command]
    options = own | ALL
    alone = {flag: call(command, [*base, flag, *words], folder, monkeypatch) for flag, words in options.items()}
    nothing = call(command, base, folder, monkeypatch)
    idle = [flag for flag, result in alone.items() if result == nothing]
    pairs = [pair for pair in combinations(options, 2) if not ONCE_EACH & set(pair)]
    for one, other in pairs if every_pair else pairs[::3]:
        both = call(command, [*base, one, *options[one], other, *options[other]], folder, monkeypatch)
        if both[0] != 2:
            idle += [f"{other} beside {one}"] if both == alone[one] else []
            idle += [f"{one} beside {other}"] if both == alone[other] else []

    assert set(idle) <= MASKED.get(command, set()), "\n".join(sorted(set(idle) - MASKED.get(command, set())))
