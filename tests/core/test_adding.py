"""What is added to the house, in so many files, and everything that should know it does: tried in a copy of the package."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

SOURCE = Path(__file__).parent.parent.parent / "src" / "vetrina"
PLAN = """vetrina: 1
loggers: {root: {level: info, to: [bell, log]}}
appenders:
  bell: {sink: bell, tower: north, template: "{message|twofold}"}
  log: {sink: file, path: log.txt, template: "{time} {message|twofold}"}
"""
BELL = """
from vetrina.core.plan.model import SinkTraits
from vetrina.core.schema.containers import Key
from vetrina.core.schema.kinds import Choice, Text
from vetrina.core.sink_kinds.kind import SinkKind

KIND = SinkKind(
    "bell",
    "a bell that rings once for each event",
    {
        "tower": Key(Text(empty=False), "which tower", required=True, example="north"),
        "tone": Key(Choice(words=("low", "high")), "how it sounds", "low", example="high"),
    },
    place=lambda keys, _folder: f"bell {keys.get('tower', '')}",
    label=lambda keys: keys.get("tower", ""),
    traits=SinkTraits(folder="bells", remote=True, slow=True, summons=True),
    address=lambda keys: (f"{keys.get('tower', '')}.invalid", 9),
)
"""
OUTLET = """
from vetrina.rehearsal.outlets.outlet import PlainOutlet, pieces


class Bell(PlainOutlet):
    def deliver(self, time, group):
        target = self.place.sandbox.own("bells", f"{self.appender.name}.txt")
        with open(target, "ab") as file:
            file.writelines(pieces(group))

    def said(self):
        path = self.place.sandbox.folder / "bells" / f"{self.appender.name}.txt"
        yield from path.read_bytes().splitlines(keepends=True) if path.exists() else ()

    def count(self):
        return sum(1 for _ in self.said())


OUTLET = Bell
"""
CHECK = '''"""no-bell: a plan in which nobody rings.

Found::

    appenders: {}
"""

from vetrina.core.base.origins import DEFAULT
from vetrina.core.checks.context import Check, Hit


def find(scene):
    if not any(one.sink.kind == "bell" for one in scene.appenders()):
        yield Hit(DEFAULT, "plan", "no bell rings")


CHECK = Check("no-bell", "hint", "a plan in which nobody rings", find)
'''
NOTATION = '''"""Tabs: `key<TAB>value` lines."""

from vetrina.formats.notations.by_members import ByMembers
from vetrina.formats.notations.members import Members


class TabsNotation(ByMembers):
    """Tabs."""

    name, shape, quotes, endings, begins = "tabs", "lines", False, ("tabs",), ""

    def read(self, text, source, report):
        members, at = Members(text, source, self.name, self.shape), 0
        for line in text.splitlines(keepends=True):
            key, _, value = line.rstrip("\\n").partition("\\t")
            members.put(members.document.root, key, value, at, at + len(key) + 1, at + len(key) + 1 + len(value))
            at += len(line)
        return members.finish()

    def rendered(self, part, text, *, plain):
        return text


NOTATION = TabsNotation()
'''
TABS_MAPPING = """vetrina-mapping: 1
reads: tabs
loggers: [{each: {members: 'ear\\.(?P<n>.+)'}, name: {text: <n>}, level: $}]
new: {logger: {text: "ear.{name}\\t{level}"}}
"""
COMMAND = '''"""`vetrina ring PLAN`: how many bells there are."""

from vetrina.commands import calling, options
from vetrina.core.config.resolution import ResolvedPlan
from vetrina.views.documents import ring as documents


@options.reads_plan
def run(found: ResolvedPlan, json: options.JsonOption = False) -> None:
    """Count the bells."""
    bells = [one.name for one in found.plan.appenders.values() if one.sink.kind == "bell"]
    calling.print_json(documents.Ring(bells)) if json else calling.print_lines([", ".join(bells)])
'''
DOCUMENT = '''"""`ring --json`."""

from msgspec import Struct


class Ring(Struct):
    """`ring --json`."""

    bells: list[str]
'''


@pytest.fixture(scope="module")
def house(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A copy of the package, with one more sink kind, check, template step, notation, command and output document."""
    root = tmp_path_factory.mktemp("house")
    package = root / "vetrina"
    shutil.copytree(SOURCE, package, ignore=shutil.ignore_patterns("__pycache__"))

    def edit(name: str, old: str, new: str) -> None:
        path = package / name
        text = path.read_text(encoding="utf-8")
        assert text.count(old) == 1, (name, old)
        path.write_text(text.replace(old, new), encoding="utf-8")

    (package / "core/sink_kinds/bell.py").write_text(BELL, encoding="utf-8")
    (package / "rehearsal/outlets/bell.py").write_text(OUTLET, encoding="utf-8")
    (package / "core/checks/no_bell.py").write_text(CHECK, encoding="utf-8")
    (package / "formats/notations/tabs_documents.py").write_text(NOTATION, encoding="utf-8")
    (package / "commands/ring.py").write_text(COMMAND, encoding="utf-8")
    (package / "views/documents/ring.py").write_text(DOCUMENT, encoding="utf-8")
    edit("commands/overview.py", '    "levels":', '    "ring": "how many bells there are",\n    "levels":')
    edit(
        "views/outputs.py",
        "OUTPUTS: dict[str, Any] = {",
        'from vetrina.views.documents.ring import Ring\n\nOUTPUTS: dict[str, Any] = {\n    "ring": Ring,',
    )
    edit(
        "core/templates/steps.py",
        "TEXT_STEPS: dict[str, TextStep] = {",
        'TEXT_STEPS: dict[str, TextStep] = {\n    "twofold": TextStep("said twice", lambda: lambda text: text + text, undo=lambda: lambda text: text[: len(text) // 2]),\n    "mute": TextStep("nothing said of how it is undone", lambda: lambda text: text),',
    )
    return root


@pytest.fixture
def call(house: Path, folder: Path) -> Callable[..., subprocess.CompletedProcess[str]]:
    (folder / "plan.yaml").write_text(PLAN, encoding="utf-8")
    lines = [f'{{"time":"2026-11-02T10:00:0{at}Z","level":"info","logger":"x","message":"gong {at}"}}\n' for at in range(3)]
    (folder / "e.jsonl").write_text("".join(lines), encoding="utf-8")

    def run(*words: str) -> subprocess.CompletedProcess[str]:
        known = {name: value for name, value in os.environ.items() if not name.startswith("COVERAGE")}  # of the package itself
        environment = {**known, "PYTHONPATH": str(house), "COLUMNS": "120", "PYTHONDONTWRITEBYTECODE": "1"}
        return subprocess.run(
            [sys.executable, "-m", "vetrina", *words], cwd=folder, env=environment, capture_output=True, text=True, check=False
        )

    return run


Call = Callable[..., "subprocess.CompletedProcess[str]"]


def test_a_notation_of_documents_in_one_file_is_known_everywhere(call: Call, folder: Path) -> None:
    (folder / "doc.tabs").write_text("ear.a\tinfo\near.a.b\tdebug\nodd\tx\n")
    drafted = call("adopt", "doc.tabs", "--draft").stdout
    (folder / "doc.mapping.yaml").write_text(TABS_MAPPING)
    adopted = json.loads(call("adopt", "doc.tabs", "--json").stdout)

    assert "reads: tabs" in drafted
    assert "loggers:" in drafted
    assert (adopted["plan"]["loggers"], [one["path"] for one in adopted["left_over"]]) == (
        {"a": {"level": "info"}, "a.b": {"level": "debug"}},
        ["$.odd"],
    )
    assert "doc.tabs:2" in call("levels", "doc.tabs").stdout
    assert call("apply", "doc.tabs", "--tune", "a=error", "--tune", "c=debug", "--yes").returncode == 0
    assert (folder / "doc.tabs").read_text() == "ear.a\terror\near.a.b\tdebug\near.c\tdebug\nodd\tx\n"
    assert "tabs" in call("schema", "mapping").stdout


def test_a_sink_kind_in_two_files_is_known_everywhere(call: Call, folder: Path) -> None:
    assert "bell north" in call("why", "plan.yaml", "--logger", "x", "--level", "info").stdout
    assert "tone: low" in call("resolve", "plan.yaml", "--defaults").stdout
    assert '"tower"' in call("schema", "plan").stdout
    wrong = call("levels", "plan.yaml", "--set", "appenders.bell.tone=loud")
    assert (wrong.returncode, "one of low, high" in wrong.stderr) == (2, True)
    rehearsed = call("rehearse", "plan.yaml", "e.jsonl", "--into", "box", "--verify")
    assert rehearsed.returncode == 0, rehearsed.stdout + rehearsed.stderr
    assert "bells" in rehearsed.stdout
    (folder / "box/bells/bell.txt").write_text("gong 0gong 0\n", encoding="utf-8")
    assert call("rehearse", "plan.yaml", "e.jsonl", "--into", "box", "--clean").returncode == 0
    assert (folder / "box/bells/bell.txt").read_text(encoding="utf-8") == "gong 0gong 0\ngong 1gong 1\ngong 2gong 2\n"
    codes = {one["code"] for one in json.loads(call("check", "plan.yaml", "--probe-network", "--json").stdout)["findings"]}
    assert {"unknown-host", "mail-flood"} <= codes
    assert "no-bell" not in codes


def test_a_check_in_one_file_is_listed_explained_and_run(call: Call) -> None:
    listed = json.loads(call("check", "--list", "--json").stdout)["checks"]
    assert "no-bell" in {one["code"] for one in listed}
    assert "nobody rings" in call("check", "--explain", "no-bell").stdout
    found = json.loads(
        call("check", "plan.yaml", "--set", "appenders.bell.enabled=false", "--only", "no-bell", "--json").stdout
    )
    assert [one["message"] for one in found["findings"]] == ["no bell rings"]


def test_a_step_in_one_entry_is_written_read_back_and_refused_without_a_way_back(call: Call, folder: Path) -> None:
    (folder / "log.txt").write_bytes(call("preview", "plan.yaml", "e.jsonl", "--appender", "log", "--raw").stdout.encode())
    read = call("read", "log.txt", "--plan", "plan.yaml", "--appender", "log")
    assert [json.loads(line)["message"] for line in read.stdout.splitlines()] == ["gong 0", "gong 1", "gong 2"]
    mute = call("read", "log.txt", "--template", "{time} {message|mute}")
    assert (mute.returncode, "does not say how it is undone" in mute.stderr) == (2, True)


def test_a_command_and_its_document_are_known_to_help_and_schema(call: Call) -> None:
    assert "how many bells there are" in call("--help").stdout
    assert json.loads(call("ring", "plan.yaml", "--json").stdout) == {"bells": ["bell"]}
    assert json.loads(call("schema", "output", "ring").stdout)["properties"].keys() == {"bells"}
    assert call("ring", "plan.yaml", "--stage", "x").returncode == 2
