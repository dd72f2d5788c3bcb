"""Services by themselves: their words and names, what a step sends, what an answer says, verdicts, records, and putting back."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from vetrina.core.base.errors import NotUnderstood
from vetrina.core.base.expressions import Expression
from vetrina.core.base.faults import Place, Refused, refuse
from vetrina.core.base.levels import Scale
from vetrina.core.base.origins import Origin, Sourced
from vetrina.core.services.filling import request_of, words_of
from vetrina.core.services.levels_now import LevelNow, rows
from vetrina.core.services.records import Changed, Record, RecordStep, due, restored, shows, word_back
from vetrina.core.services.service import Http, Reading, Service, Step, plain_address
from vetrina.core.services.words import Words
from vetrina.formats.answers import WrongAnswer, level_read, levels_listed
from vetrina.formats.plans import read_plan
from vetrina.formats.service_records import read_record, record_path, write_record
from vetrina.running import changing
from vetrina.running.asking import Unanswered
from vetrina.running.changing import Changer, NotChanged

HERE = Place("s.yaml", 1)
Write = Callable[..., Path]


def words(levels: dict[str, str] | None = None, separator: str | None = None, root: str = "root", planned: str = ".") -> Words:
    sourced = {word: Sourced(level, Origin("file", HERE)) for word, level in (levels or {}).items()}
    return Words(Service("", {}, levels=sourced, separator=separator, root=root), Scale({"wire": 7}), planned)


@pytest.mark.parametrize("word, severity, level", [
    ("debug", 5, "debug"), ("DEBUG", 5, "debug"), ("Whisper", 5, "debug"), ("WHISPER", 5, "debug"), ("wire", 7, "wire"), ("13", 13, "warn"),
    ("off", 25, "off"), ("loud", None, "loud"), ("silent", 25, "off"), ("info", 17, "error"),
])  # fmt: skip
def test_a_services_words_for_levels(word: str, severity: int | None, level: str) -> None:
    own = words({"whisper": "debug", "mumble": "debug", "silent": "off", "info": "error"})
    assert (own.severity(word), own.level(word)) == (severity, level)


def test_the_word_that_is_sent_is_the_first_of_just_this_level() -> None:
    own = words({"Mumble": "debug", "whisper": "debug", "silent": "off"})
    assert [own.word(severity) for severity in (5, 25, 7, 9, 11)] == ["Mumble", "silent", "wire", "info", "11"]


@pytest.mark.parametrize("one, other, same", [
    ("debug", "DEBUG", True), ("whisper", "debug", True), ("debug", "info", False), ("loud", "LOUD", True), ("loud", "debug", False),
    (None, None, True), (None, "debug", False), ("5", "debug", True),
])  # fmt: skip
def test_words_that_mean_one_level(one: str | None, other: str | None, same: bool) -> None:
    own = words({"whisper": "debug"})
    assert (own.same(one, other), own.same(other, one)) == (same, same)


@pytest.mark.parametrize("levels", [{"a": "debgu"}, {"loud": "error", "LOUD": "warn"}])
def test_words_that_cannot_be(levels: dict[str, str]) -> None:
    with pytest.raises(Refused):
        words(levels)


@pytest.mark.parametrize("separator, root, name, planned", [
    (None, "root", "a.b", "a.b"), ("/", "root", "a/b", "a.b"), ("/", "TOP", "TOP", "root"), (None, "root", "", "root"), ("::", "", "a::b.c", "a.b.c"),
])  # fmt: skip
def test_names_from_one_to_the_other(separator: str | None, root: str, name: str, planned: str) -> None:
    own = words(separator=separator, root=root or "root")
    assert own.planned(name) == planned
    assert own.own(planned, {planned: name}) == name, "a name that the service gave itself is sent as it was"
    if name and "." not in name.replace(separator or ".", ""):
        assert own.own(planned) == name


def step(**more: Any) -> Step:
    return Step("set", HERE, **more)


def test_what_a_request_sends() -> None:
    one = step(
        method="put", target="/l/{logger}?l={logger}&v={level}", json={"{level}": ["{logger}", 7, None, "{other} {text}"]},
        headers={"X": "{level}"}, form={"a": "{logger}"}, text="{level}{level}",
    )  # fmt: skip
    found = request_of(one, {"logger": "a/b ?", "level": "debug"})
    assert (found.method, found.target) == ("PUT", "/l/a%2Fb%20%3F?l=a%2Fb%20%3F&v=debug")
    assert found.json == {"debug": ["a/b ?", 7, None, "{other} {text}"]}
    assert (found.headers, found.form, found.text) == ({"X": "debug"}, {"a": "a/b ?"}, "debugdebug")


@pytest.mark.parametrize("logger", [".", ".."])
def test_names_that_would_lead_elsewhere(logger: str) -> None:
    with pytest.raises(NotUnderstood):
        request_of(step(method="get", target="/levels/{logger}"), {"logger": logger})
    assert request_of(step(method="get", target="/levels"), {"logger": logger}).target == "/levels"


@pytest.mark.parametrize("run, logger, found", [
    (("room", "set", "{logger}", "{level}"), "a.b", ("room", "set", "a.b", "debug")),
    (("room", "--name={logger}"), "-a", ("room", "--name=-a")),
    (("room", "--", "{logger}"), "-a", ("room", "--", "-a")),
    (("room", "{logger}", "--"), "-a", None),
    (("room", "{logger}"), "a\0b", None),
])  # fmt: skip
def test_what_a_program_is_called_with(run: tuple[str, ...], logger: str, found: tuple[str, ...] | None) -> None:
    values = {"logger": logger, "level": "debug"}
    if found is None:
        with pytest.raises(NotUnderstood):
            words_of(step(run=run), values)
    else:
        assert words_of(step(run=run), values) == found


LOOKS = {"name": "$.n", "level": "$.l", "effective": "$.e"}
ANSWERS: list[tuple[Reading, Any, list[LevelNow] | str]] = [
    (Reading("$.all[*]", LOOKS), {"all": [{"n": "a", "l": "info", "e": "info"}, {"n": "b", "l": None, "e": "info"}, {"n": "", "e": "warn"}]},
     [LevelNow("a", "info", "info"), LevelNow("b", None, "info"), LevelNow("", None, "warn")]),
    (Reading("$.levels.*", {"name": 0, "level": "$.l"}), {"levels": {"a": {"l": 10}, "b": {}}},
     [LevelNow("a", "10", None, True, False), LevelNow("b", None, None, True, False)]),
    (Reading("$.*.levels[*]", {"name": 2, "effective": "$"}), {"x": {"levels": ["info"]}, "y": {"levels": ["warn"]}},
     [LevelNow("x", None, "info", False), LevelNow("y", None, "warn", False)]),
    (Reading("$.all[?@.l != 'off']", {"name": "$.n", "level": "$.l"}), {"all": [{"n": "a", "l": "off"}, {"n": "b", "l": "info"}]},
     [LevelNow("b", "info", None, True, False)]),
    (Reading("$..inner[*]", {"name": "$.n", "level": "$.l"}), {"x": {"inner": [{"n": "a", "l": "info"}]}}, [LevelNow("a", "info", None, True, False)]),
    (Reading("$[*]", LOOKS), [{"n": "a", "l": ""}], [LevelNow("a", None, None)]),
    (Reading("$[*]", LOOKS), [], "names no logger"),
    (Reading("$[*]", LOOKS), [{"l": "info"}], "logger 1 in it has no name"),
    (Reading("$[*]", LOOKS), [{"n": "a", "l": True}], "the level of logger 1 is no text"),
    (Reading("$[*]", LOOKS), [{"n": "a", "l": "x" * 201}], "too long to be one"),
    (Reading("$[*]", {"name": 5, "level": "$.l"}), [{"l": "info"}], "5 members up"),
    (Reading("$[*]", {"name": "$.n", "level": "$.l[*]"}), [{"n": "a", "l": ["info", "warn"]}], "stands in several places"),
]  # fmt: skip


@pytest.mark.parametrize("reading, content, found", ANSWERS)
def test_what_an_answer_says(reading: Reading, content: Any, found: list[LevelNow] | str) -> None:
    one = step(reading=reading)
    if isinstance(found, str):
        with pytest.raises(WrongAnswer, match=found):
            levels_listed(one, json.dumps(content).encode())
    else:
        assert levels_listed(one, b"\xef\xbb\xbf" + json.dumps(content).encode()) == found


def test_what_lines_say() -> None:
    lines = step(reading=Reading(lines=Expression(r"^(?P<name>\S+) (?P<level>\S*) ?(?P<effective>\S*)$")))
    data = b"levels:\na.b info info\nlib  warn\nbroken \xff\xff here and more\n"
    assert levels_listed(lines, data) == [LevelNow("a.b", "info", "info"), LevelNow("lib", None, "warn")]
    assert level_read(lines, data, "lib") == LevelNow("lib", None, "warn")
    assert level_read(lines, data, "other") is None
    nameless = step(reading=Reading(lines=Expression(r"level is (?P<effective>\w+)")))
    assert level_read(nameless, b"level is warn\n", "a") == LevelNow("a", None, "warn", False)
    with pytest.raises(WrongAnswer, match="several things"):
        level_read(nameless, b"level is warn\nlevel is info\n", "a")
    with pytest.raises(WrongAnswer, match="no line of it fits"):
        levels_listed(lines, b"nothing\n")


def test_the_answer_about_one_logger() -> None:
    one = step(reading=Reading(looks=LOOKS))
    assert level_read(one, b'{"n": "a", "l": "info", "e": "info"}', "a") == LevelNow("a", "info", "info")
    with pytest.raises(WrongAnswer, match="another logger"):
        level_read(one, b'{"n": "b", "l": "info", "e": "info"}', "a")
    among = step(reading=Reading("$[*]", LOOKS))
    assert level_read(among, b'[{"n": "b"}, {"n": "a", "l": "warn"}]', "a") == LevelNow("a", "warn", None)
    assert level_read(among, b'[{"n": "b"}]', "a") is None


PLAN = "vetrina: 1\nassume: warn\nloggers: {a: info, a.b: {to: []}, off: {level: debug, enabled: false}}\n"
VERDICTS = [
    ("a", LevelNow("a", "info", "info"), "same"), ("a", LevelNow("a", "INFO", None), "same"), ("a", LevelNow("a", None, "info"), "same"),
    ("a", LevelNow("a", "debug", "debug"), "differs"), ("a", LevelNow("a", None, None), "differs"), ("a", LevelNow("a", "loud", "loud"), "differs"),
    ("a", None, "only-planned"), ("a.b", LevelNow("a.b", None, "info"), "same"), ("a.b", LevelNow("a.b", "info", "info"), "only-service"),
    ("off", LevelNow("off", None, "warn"), "same"), ("off", LevelNow("off", "debug", "debug"), "only-service"),
    ("root", LevelNow("root", None, "warn"), "same"), ("root", LevelNow("root", "warn", "warn"), "only-service"),
    ("new", LevelNow("new", None, "warn"), "same"), ("new", LevelNow("new", None, "info", False), "differs"),
]  # fmt: skip


@pytest.mark.parametrize("logger, now, verdict", VERDICTS)
def test_verdicts(write: Write, logger: str, now: LevelNow | None, verdict: str) -> None:
    plan = read_plan(write("plan.yaml", PLAN))
    (row,) = rows({} if now is None else {logger: now}, plan, words(), [logger])
    assert row.verdict == verdict
    everything = [one.logger for one in rows({"z": LevelNow("z", None, "warn")}, plan, words())]
    assert everything == ["root", "a", "a.b", "z"], "those that either names"


@pytest.mark.parametrize("base, address", [
    ("http://user:pw@Room.Example:80/x/", "http://room.example:80/x"), ("http://room.example/x", "http://room.example:80/x"),
    ("https://localhost", "https://127.0.0.1:443"), ("http://[::1]:8700", "http://[::1]:8700"),
])  # fmt: skip
def test_addresses_that_lead_to_one_place(base: str, address: str) -> None:
    assert plain_address(base) == address
    assert Service("", {"set": step(method="put", target="/")}, Http(base)).identity == address


def test_a_program_is_the_same_from_every_copy_of_the_file() -> None:
    def identity(folder: str, *run: str) -> str:
        return Service("", {"set": step(run=run)}, folder=folder).identity

    assert identity("/a/b", "./room", "x") == identity("/a", "b/room", "x") != identity("/a", "./room", "x")
    assert identity("/a", "room", "x") == identity("/b", "room", "x") != identity("/a", "room", "y")
    assert "secret" not in Service("", {"set": step(run=("room", "--token", "secret"))}).address


BACK = [
    (LevelNow("a", "info", "info"), True, "info", False), (LevelNow("a", None, "info"), True, None, False), (LevelNow("a", None, "info"), False, "info", True),
    (LevelNow("a", None, "info", False), True, "info", True), (LevelNow("a", "INFO", None, True, False), False, "INFO", False),
]  # fmt: skip


@pytest.mark.parametrize("before, clears, word, told", BACK)
def test_what_is_sent_to_put_a_logger_back(before: LevelNow, clears: bool, word: str | None, told: bool) -> None:
    found, note = word_back(before, clears=clears)
    assert (found, bool(note)) == (word, told)
    after = LevelNow("a", word, before.effective, before.tells_set, before.tells_effective)
    assert restored(after, before, words(), clears=clears)
    assert not restored(LevelNow("a", "off", "off", before.tells_set), before, words(), clears=clears)


def test_a_level_shows_where_it_is_set_and_where_it_is_in_effect() -> None:
    assert shows(LevelNow("a", "debug", "debug"), "DEBUG", words())
    assert shows(LevelNow("a", None, "debug", False), "debug", words())
    assert shows(LevelNow("a", "debug", None, True, False), "debug", words())
    assert not shows(LevelNow("a", "debug", "info"), "debug", words()), "accepted, and not in effect"
    assert not shows(LevelNow("a", None, "debug"), "debug", words()), "in effect by chance: nothing is set there"


def recorded(*steps: dict[str, tuple[str | None, str]]) -> Record:
    return Record(1, "x", tuple(
        RecordStep(str(at), "", "", "", 0, "", "", tuple(Changed(name, LevelNow(name, before, before), after) for name, (before, after) in one.items()))
        for at, one in enumerate(steps)
    ))  # fmt: skip


def test_the_level_before_the_first_change_is_due_the_latest_change_first() -> None:
    record = recorded({"a": ("info", "debug"), "b": ("warn", "off")}, {"a": ("debug", "trace")}, {"c": (None, "all")})
    found = [(one.logger, one.before.set, one.after) for one in due(record, {"0", "1", "2"})]
    assert found == [("c", None, "all"), ("a", "info", "trace"), ("b", "warn", "off")]
    assert [(one.logger, one.before.set) for one in due(record, {"1"})] == [("a", "debug")]
    left = record.without({"a", "c"}, {"0", "1", "2"})
    assert [[change.logger for change in one.changes] for one in left.steps] == [["b"]]


class Fake:
    """A service in memory: it may fail, and keep nothing."""

    def __init__(self, levels: dict[str, str | None], *, clears: bool) -> None:
        self.levels, self.clears, self.words = dict(levels), clears, words()
        self.fails: set[int] = set()
        self.calls = 0
        self.service = Service("room", {}, Http("http://h"))

    def level(self, logger: str) -> LevelNow | None:
        return LevelNow(logger, self.levels[logger], self.levels[logger] or "warn") if logger in self.levels else None

    def _send(self, logger: str, word: str | None) -> None:
        self.calls += 1
        if self.calls in self.fails:
            raise Unanswered("no answer")
        self.levels[logger] = word

    def set(self, logger: str, word: str) -> None:
        self._send(logger, word)

    def clear(self, logger: str) -> None:
        self._send(logger, None)


NAMES = st.sampled_from(["root", "a", "a.b", "lib"])
LEVELS = st.sampled_from([5, 9, 13, 17, 25])
FAILED_TWICE = [{"root": 5, "a": 5}, {"root": 17}, {"root": 9}]
CALLS = st.lists(st.dictionaries(NAMES, LEVELS, min_size=1, max_size=3), min_size=1, max_size=4)


@settings(max_examples=60)
@example(FAILED_TWICE, {4, 5}, {}, False)
@given(CALLS, st.sets(st.integers(1, 8), max_size=2), st.dictionaries(NAMES, st.just("alert"), max_size=1), st.booleans())
def test_whatever_fails_levels_are_as_before_or_on_record(
    tmp_path_factory: pytest.TempPathFactory, calls: list[dict[str, int]], fails: set[int], others: dict[str, str], clears: bool
) -> None:
    file = tmp_path_factory.mktemp("s") / "s.yaml"
    first = {"root": "warn", "a": "info", "a.b": None, "lib": "error"}
    fake = Fake(first, clears=clears)
    fake.fails = fails
    changer = Changer(fake, file, 0.0)  # type: ignore[arg-type]
    back: list[tuple[changing.PutBack | None, dict[str, str | None], dict[str, str | None]]] = []
    for at, wanted in enumerate(calls):
        before = dict(fake.levels)
        try:
            changer.change(
                wanted, {name: LevelNow(name, before[name], before[name] or "warn") for name in wanted}, "test", str(at)
            )
        except NotChanged as failed:
            back.append((failed.back, dict(fake.levels), before))
    for result, after, before in back:
        assert result is not None
        assert not (result.whole and clears) or after == before
    on_record = {change.logger for one in changer.record().steps for change in one.changes}
    assert {name for name, level in fake.levels.items() if level != first[name] and (clears or first[name])} <= on_record
    foreign = {name: word for name, word in others.items() if fake.levels[name] != word and name in on_record}
    fake.levels |= foreign
    fake.fails = set()
    result = changer.put_back()
    assert result.foreign.keys() == foreign.keys()
    assert {name: level or "warn" for name, level in (fake.levels | {name: first[name] for name in foreign}).items()} == {
        name: level or "warn" for name, level in first.items()
    }
    assert not clears or fake.levels == first | foreign
    assert record_path(file).exists() == bool(foreign)


def test_a_record_that_cannot_be_shortened_does_not_keep_levels_from_being_put_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    fake, file, calls = Fake({"a": "info", "b": "warn", "c": "error"}, clears=True), tmp_path / "s.yaml", 0
    fake.fails = {2}

    def full_after_the_first(service: Path, record: Record) -> None:
        nonlocal calls
        calls += 1
        if calls > 1:
            raise refuse("cannot be written: No space left on device")
        write_record(service, record)

    monkeypatch.setattr(changing, "write_record", full_after_the_first)
    changer = Changer(fake, file, 0.0)  # type: ignore[arg-type]
    before = {name: LevelNow(name, level, level) for name, level in fake.levels.items()}
    with pytest.raises(NotChanged) as failed:
        changer.change(dict.fromkeys("abc", 5), before, "test", "1")

    assert fake.levels == {"a": "info", "b": "warn", "c": "error"}
    assert failed.value.back is not None
    assert failed.value.back.failed == {
        "the record": "what is back could not be taken off it: cannot be written: No space left on device"
    }
    assert {change.logger for one in changer.record().steps for change in one.changes} == set("abc")


def test_records_survive_and_damaged_ones_are_told(tmp_path: Path) -> None:
    file = tmp_path / "s.yaml"
    record = recorded({"a": (None, "debug")})
    write_record(file, record)
    assert read_record(file, "x") == record
    write_record(file, recorded())
    assert (record_path(file).exists(), read_record(file, "y")) == (False, Record(1, "y"))
    for content in ("{", '{"version": 2, "service": "x", "steps": []}', "[]"):
        record_path(file).write_text(content)
        with pytest.raises(Refused):
            read_record(file, "x")
    assert changing.put_back_problems(changing.PutBack(failed={"a": "x"}, foreign={"b": "y"})) == [("a", "x"), ("b", "y")]
