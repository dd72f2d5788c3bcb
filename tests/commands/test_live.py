"""`live`: the levels of a running service beside the planned ones; changes on record, verified, put back; nothing else sent."""

from __future__ import annotations

import gzip
import json
import os
import re
import signal
import ssl
import stat
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import trustme

from standins import LEVELS, SECRET, STEPS, Standin, begin, call, guardians, record_of, service_file, standing_in, wait_for
from support import PATIENCE

PLAN = """vetrina: 1
loggers: {root: warn, ropeway: info, ropeway.gate: debug, ropeway.wind: error}
"""
QUICK = ("--settle", "100 ms")


@pytest.fixture
def room() -> Iterator[Standin]:
    with standing_in() as standin:
        yield standin


def with_plan(folder: Path, room: Standin, more: str = "") -> Path:
    (folder / "plan.yaml").write_text(PLAN, encoding="utf-8")
    return service_file(folder, room.port, "plan: plan.yaml\n" + more)


def test_what_the_process_says_beside_what_the_plan_says(folder: Path, room: Standin) -> None:
    service = with_plan(folder, room)
    room.levels |= {"lib": "off", "ropeway": "info", "root": "info"}
    found = call(folder, "live", service, "--json")

    assert found.code == 1
    rows = {one["logger"]: (one["set"], one["effective"], one["planned"], one["verdict"]) for one in found.json["loggers"]}
    assert rows == {
        "root": ("info", "info", "warn", "differs"),
        "ropeway": ("info", "info", "info", "same"),
        "ropeway.gate": (None, "info", "debug", "differs"),
        "ropeway.wind": (None, None, "error", "only-planned"),
        "lib": ("off", "off", "warn", "only-service"),
    }
    assert (found.json["service"], found.json["loggers"][0]["origin"]["line"]) == ("control room", 2)
    screen = call(folder, "live", service)
    assert "1 same, 2 differ, 1 only in the service, 1 only planned." in screen.out
    assert room.sent() == []


def test_only_some_loggers_also_unknown_ones(folder: Path, room: Standin) -> None:
    service = with_plan(folder, room)
    fine = call(folder, "live", service, "ropeway", "root", "--json")
    assert (fine.code, [one["logger"] for one in fine.json["loggers"]]) == (0, ["ropeway", "root"])
    unknown = call(folder, "live", service, "ropeway.gat", "--json")
    assert (unknown.code, unknown.json["loggers"][0]["verdict"]) == (1, "only-planned")


def test_without_a_plan_there_is_no_verdict(folder: Path, room: Standin) -> None:
    found = call(folder, "live", service_file(folder, room.port), "--json")
    assert found.code == 0
    assert {(one["planned"], one["verdict"]) for one in found.json["loggers"]} == {(None, None)}


def test_its_own_words_names_and_root(folder: Path, room: Standin) -> None:
    room.levels = {"TOP": "WARN", "ropeway": "Plain", "ropeway/gate": "whisper", "lib": "shout"}
    room.effective = lambda name: room.levels[name]  # type: ignore[method-assign, assignment, return-value]
    more = 'separator: "/"\nroot: TOP\nlevels: {Whisper: debug, plain: info}\n'
    service = with_plan(folder, room, more)
    found = call(folder, "live", service, "--json")
    rows = {one["logger"]: (one["set"], one["verdict"]) for one in found.json["loggers"]}
    assert rows["root"] == ("warn", "same")
    assert (rows["ropeway"], rows["ropeway.gate"]) == (("info", "same"), ("debug", "same"))
    assert rows["lib"] == ("shout", "only-service")
    assert "shout: no level that is known here" in call(folder, "live", service).out
    tuned = call(folder, "live", service, "--tune", "ropeway.gate=info", "--tune", "lib=debug", "--yes", *QUICK)
    assert tuned.code == 0, tuned.err
    assert ("PUT", "/levels/ropeway%2Fgate") in room.sent()
    assert (room.levels["ropeway/gate"], room.levels["lib"]) == ("plain", "Whisper")
    assert call(folder, "live", service, "--put-back", *QUICK).code == 0
    assert (room.levels["ropeway/gate"], room.levels["lib"]) == ("whisper", "shout"), "the service's own words are sent back"


def test_a_change_is_on_record_before_it_is_sent_and_back_afterwards(folder: Path, room: Standin) -> None:
    service = with_plan(folder, room)
    seen: list[Any] = []
    room.manners["PUT"] = lambda _request: seen.append(json.loads(record_of(folder).read_text())) or None  # type: ignore[func-returns-value]
    tuned = call(folder, "live", service, "--tune", "ropeway.gate=debug", "--tune", "lib=off", "--yes", "--json", *QUICK)
    assert (tuned.code, tuned.json["done"]) == (0, True)
    assert [one["logger"] for one in seen[0]["steps"][0]["changes"]] == ["ropeway.gate", "lib"]
    assert stat.S_IMODE(record_of(folder).stat().st_mode) == 0o600
    assert SECRET not in record_of(folder).read_text()
    more = call(folder, "live", service, "--tune", "ropeway.gate=trace", "--yes", *QUICK)
    assert (more.code, "on record: 2 changes" in more.err) == (0, True)
    shown = call(folder, "live", service, "--record", "--json")
    assert [[one["logger"] for one in step["changes"]] for step in shown.json["steps"]] == [
        ["ropeway.gate", "lib"],
        ["ropeway.gate"],
    ]
    assert str(folder) in call(folder, "live", service, "--record").out
    room.requests.clear()
    back = call(folder, "live", service, "--put-back", *QUICK)
    assert (back.code, room.levels) == (0, LEVELS)
    assert room.sent() == [("DELETE", "/levels/ropeway.gate"), ("PUT", "/levels/lib")], "the latest first, each once"
    assert not record_of(folder).exists()
    assert "nothing is on record" in call(folder, "live", service, "--put-back").err


def test_what_somebody_else_changed_meanwhile_is_told_not_overwritten(folder: Path, room: Standin) -> None:
    service = with_plan(folder, room)
    call(folder, "live", service, "--tune", "ropeway.gate=debug", "--tune", "lib=off", "--yes", *QUICK)
    room.levels["lib"] = "error"
    back = call(folder, "live", service, "--put-back", "--json", *QUICK)
    assert (back.code, back.json["changed_by_others"].keys(), room.levels["lib"]) == (1, {"lib"}, "error")
    assert [one["logger"] for step in json.loads(record_of(folder).read_text())["steps"] for one in step["changes"]] == ["lib"]
    assert call(folder, "live", service, "--put-back", "--anyway", *QUICK).code == 0
    assert (room.levels, record_of(folder).exists()) == (LEVELS, False)


def keep_nothing(request: Any) -> bool:
    request.answer(204)
    return True


def other_level(request: Any) -> bool:
    request.standin.levels["lib"] = "alert"
    request.answer(204)
    return True


def refuse_lib(request: Any) -> bool | None:
    if request.path.endswith("lib") and b"off" in request.body:
        request.answer(500, {"secret": "words of the body"})
        return True
    return None


FAILING: dict[str, tuple[Callable[[Any], bool | None], str]] = {
    "accepted and not kept": (keep_nothing, "seconds later the service still says"),
    "refused": (refuse_lib, "it answers 500"),
    "set to another level": (other_level, "still says alert"),
}


@pytest.mark.parametrize("how", FAILING)
def test_at_the_first_that_fails_all_of_the_call_are_put_back(folder: Path, room: Standin, how: str) -> None:
    service = with_plan(folder, room)
    room.manners["PUT"], what = FAILING[how]
    if how == "set to another level":
        room.manners["PUT"] = lambda request: other_level(request) if b"off" in request.body else None
    tuned = call(folder, "live", service, "--tune", "ropeway.gate=debug", "--tune", "lib=off", "--yes", *QUICK)
    assert (tuned.code, what in tuned.err) == (1, True), tuned.err
    assert "words of the body" not in tuned.out + tuned.err
    assert (room.levels, record_of(folder).exists()) == (LEVELS, False)
    assert room.sent()[-1][0] in {"PUT", "DELETE"}


def test_a_service_that_takes_a_level_late(folder: Path, room: Standin) -> None:
    service = with_plan(folder, room)

    def later(request: Any) -> bool:
        request.answer(204)
        body, path = request.body, request.path.rpartition("/")[2]
        time.sleep(0.3)
        room.levels[path] = json.loads(body)["level"]
        return True

    room.manners["PUT"] = later
    tuned = call(folder, "live", service, "--tune", "lib=off", "--yes", "--settle", "3 seconds")
    assert (tuned.code, room.levels["lib"]) == (0, "off"), tuned.err
    again = call(folder, "live", service, "--tune", "lib=debug", "--yes", *QUICK)
    assert again.code == 1
    wait_for(lambda: room.levels["lib"] == "off")
    time.sleep(0.4)
    assert room.levels["lib"] == "off", "what was taken late was put back again: to the level before that call"


def one_gigabyte(request: Any) -> bool:
    request.send_response(200)
    request.send_header("Content-Length", str(1 << 30))
    request.end_headers()
    block = b"[" * (1 << 20)
    for _ in range(1 << 10):
        request.wfile.write(block)
    return True


def endless(request: Any) -> bool:
    request.send_response(200)
    request.end_headers()
    while True:
        request.wfile.write(b" ")
        request.wfile.flush()
        time.sleep(0.05)


def packed(request: Any) -> bool:
    request.answer(200, data=gzip.compress(b"[" * 1000), Content_Encoding="gzip")
    return True


def says(code: int, data: bytes = b"{}", **headers: str) -> Callable[[Any], bool]:
    def manner(request: Any) -> bool:
        request.answer(code, data=data, **headers)
        return True

    return manner


def silent(_request: Any) -> bool:
    time.sleep(30)
    return True


WRONG: dict[str, tuple[Callable[[Any], bool], str]] = {
    "401": (says(401, b"secret-words"), "it answers 401 (Unauthorized)"),
    "500": (says(500), "it answers 500"),
    "redirect": (says(302, b"", Location="http://127.0.0.1:1/levels"), "redirects are not followed"),
    "HTML": (says(200, b"<!doctype html><p>secret-words"), "it is HTML"),
    "no JSON": (says(200, b"{secret-words"), "it is no JSON"),
    "empty": (says(200, b""), "it is empty"),
    "other JSON": (says(200, b'{"things": []}'), "it names no logger"),
    "twice": (
        says(200, b'{"loggers": [{"name": "a", "level": "info"}, {"name": "a", "level": "warn"}]}'),
        "names a logger twice",
    ),
    "a level that is no text": (
        says(200, b'{"loggers": [{"name": "a", "level": {"x": 1}}]}'),
        "the level of logger 1 is no text",
    ),
    "no name": (says(200, b'{"loggers": [{"level": "info"}]}'), "logger 1 in it has no name"),
    "1 GB": (one_gigabyte, "longer than 16 MiB"),
    "endless": (endless, "it has not answered within 2 seconds"),
    "packed": (packed, "packed, which was not asked for"),
    "silent": (silent, "it has not answered within 2 seconds"),
    "deep": (says(200, b"[" * 100_000), "it is no JSON"),
}


@pytest.mark.parametrize("how", WRONG)
def test_a_wrong_answer_is_one_clear_sentence_and_nothing_is_changed(folder: Path, room: Standin, how: str) -> None:
    service = with_plan(folder, room)
    room.manners["GET"], what = WRONG[how]
    words = ("--tune", "lib=off", "--yes") if how in {"401", "HTML", "silent"} else ()
    begun = time.monotonic()
    found = call(folder, "live", service, *words)
    assert (found.code, what in found.err, found.out) == (1, True, ""), found.err
    assert found.err.count("failed:") == 1
    assert "secret-words" not in found.err
    assert time.monotonic() - begun < 10
    assert (room.sent(), record_of(folder).exists()) == ([], False)


def test_a_service_that_is_not_there(folder: Path) -> None:
    found = call(folder, "live", service_file(folder, 1), "--tune", "lib=off", "--yes")
    assert (found.code, "nothing listens there" in found.err, found.err.count("failed:")) == (1, True, 1), found.err


def test_certificates(folder: Path) -> None:
    authority = trustme.CA()
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    authority.issue_cert("127.0.0.1").configure_cert(context)
    authority.cert_pem.write_to_path(folder / "room.pem")
    with standing_in(context) as room:
        unknown = call(folder, "live", service_file(folder, room.port, scheme="https"))
        assert (unknown.code, "its certificate is not trusted" in unknown.err) == (1, True), unknown.err
        plain = call(folder, "live", service_file(folder, room.port))
        assert plain.code == 1
        service = service_file(folder, room.port, scheme="https")
        service.write_text(service.read_text().replace("timeout: 2 seconds", "timeout: 2 seconds, ca: room.pem"))
        assert call(folder, "live", service).code == 0
        service.write_text(service.read_text().replace("room.pem", "rom.pem"))
        missing = call(folder, "live", service)
        assert (missing.code, "certificates under ca cannot be read" in missing.err) == (2, True)


def test_a_program_in_place_of_requests(folder: Path) -> None:
    (folder / "levels.json").write_text(json.dumps({"lib": "warn", "-x": "info"}))
    program = folder / "room"
    program.write_text(
        f"#!{sys.executable}\nimport json, sys\nlevels = json.load(open('levels.json'))\nwords = [one for one in sys.argv[1:] if one != '--']\n"
        "print('secret-words', file=sys.stderr)\n"
        "if words[0] == 'set':\n    levels[words[1]] = words[2]\n    json.dump(levels, open('levels.json', 'w'))\n"
        "if words[0] == 'fail': sys.exit(3)\nif words[0] == 'hang': import time; time.sleep(60)\n"
        "for name, level in levels.items(): print(name, level)\n"
    )
    program.chmod(0o755)
    lines = r"lines: '^(?P<name>\S+) (?P<level>\S+)$'"

    def written(list_: str = "list", set_: str = '"{logger}"') -> Path:
        path = folder / "room.service.yaml"
        path.write_text(
            f'vetrina-service: 1\nlist: {{run: [./room, {list_}], timeout: 1 second, {lines}}}\nset: {{run: [./room, set, {set_}, "{{level}}"]}}\n'
        )
        return path

    assert call(folder, "live", written(), "--tune", "lib=debug", "--yes", *QUICK).code == 0
    assert json.loads((folder / "levels.json").read_text())["lib"] == "debug"
    assert call(folder, "live", written(), "--put-back", *QUICK).code == 0
    assert json.loads((folder / "levels.json").read_text()) == {"lib": "warn", "-x": "info"}
    refused = call(folder, "live", written(), "--tune=-x=debug", "--yes", *QUICK)
    assert (refused.code, "would take a logger called" in refused.err) == (1, True)
    assert call(folder, "live", written(set_='--, "{logger}"'), "--tune=-x=debug", "--yes", *QUICK).code == 0
    for how, what in (("fail", "ended with 3"), ("hang", "has not ended within 1 seconds")):
        found = call(folder, "live", written(how))
        assert (found.code, what in found.err, "secret-words" in found.err) == (1, True, False), found.err
    path = written()
    path.write_text(path.read_text().replace("./room", "./rom"))
    assert "cannot be started" in call(folder, "live", path).err


def test_without_clear_a_logger_gets_the_level_that_was_in_effect_and_that_is_said(folder: Path, room: Standin) -> None:
    service = service_file(folder, room.port, steps=STEPS.replace('clear: {delete: "/levels/{logger}"}\n', ""))
    assert call(folder, "live", service, "--tune", "ropeway.gate=debug", "--yes", *QUICK).code == 0
    back = call(folder, "live", service, "--put-back", *QUICK)
    assert (back.code, "gets the one that was in effect" in back.out, room.levels["ropeway.gate"]) == (0, True, "info")


def test_names_that_have_no_place_in_a_url_and_every_other(folder: Path, room: Standin) -> None:
    room.levels |= {"..": "info", "a/b?c#d e%é": "info"}
    service = service_file(folder, room.port)
    refused = call(folder, "live", service, "--tune", "..=debug", "--yes", *QUICK)
    assert (refused.code, "has no place in a URL" in refused.err) == (1, True), refused.err
    assert call(folder, "live", service, "--tune", "a/b?c#d e%é=debug", "--yes", *QUICK).code == 0
    assert ("PUT", "/levels/a%2Fb%3Fc%23d%20e%25%C3%A9") in room.sent()
    assert all("X-Key" in one for one in room.headers)


BAD: list[tuple[str, tuple[str, ...], str]] = [
    ("vetrina-service: 1\n", (), "no step asks this service"),
    ("plan: missing.yaml\n", (), "missing.yaml"),
    ("levels: {whisper: debgu}\n", (), '"debgu" is not known'),
    ("logs: [{appender: daybook}]\n", ("capture",), "there is no plan"),
    ("plan: plan.yaml\nlogs: [{appender: daybok}]\n", ("capture",), 'no appender "daybok"'),
    ("logs: [{path: x, template: '{tim}'}]\n", ("capture",), "tim"),
    ("", ("--tune", "ropeway.gat=debug", "--yes"), 'did you mean "ropeway.gate"?'),
    ("", ("--tune", "lib=debgu", "--yes"), '"debgu" is not known'),
    ("", ("--tune", "lib", "--yes"), "not LOGGER=LEVEL"),
    ("", ("--tune", "lib=debug"), "nobody can be asked here"),
    ("", ("--tune", "lib=debug", "--tune", "lib=off", "--yes"), "tuned twice"),
    ("", ("--anyway",), "no effect without --put-back"),
    ("", ("--for", "1 second"), "no effect without --tune"),
    ("", ("--settle", "soon"), "not a duration"),
    ("", ("lib", "--record"), "no effect with --record"),
    ("NO SET", ("--tune", "lib=debug", "--yes"), "does not say how a level is set"),
]


@pytest.mark.parametrize(("more", "words", "what"), BAD)
def test_bad_input_is_one_clear_sentence_and_nothing_is_sent(
    folder: Path, room: Standin, more: str, words: tuple[str, ...], what: str
) -> None:
    (folder / "plan.yaml").write_text(PLAN)
    steps = STEPS.replace("set: ", "patch: ").replace("put:", "patch:") if more == "NO SET" else STEPS
    service = service_file(folder, room.port, "" if more in {"NO SET", "vetrina-service: 1\n"} else more, steps=steps)
    if more == "NO SET":
        service.write_text(re.sub(r"patch: .*\n", "", service.read_text()))
    if more == "vetrina-service: 1\n":
        service.write_text(more)
    named = ("capture", service, "--into", "C", "--for", "1 second") if words == ("capture",) else ("live", service, *words)
    found = call(folder, *named)
    assert (found.code, what in found.err) == (2, True), found.err
    assert (room.sent(), record_of(folder).exists(), (folder / "C").exists()) == ([], False, False)


def test_a_record_that_cannot_be_written_lets_nothing_be_changed(folder: Path, room: Standin) -> None:
    service = service_file(folder, room.port)
    record_of(folder).mkdir()
    found = call(folder, "live", service, "--tune", "lib=off", "--yes")
    assert (found.code, room.sent()) == (2, [])
    record_of(folder).rmdir()
    record_of(folder).write_text("{broken")
    found = call(folder, "live", service, "--put-back")
    assert (found.code, "damaged" in found.err) == (2, True)


def test_one_changer_at_a_time_whatever_copy_of_the_file_is_used(folder: Path, room: Standin) -> None:
    service = service_file(folder, room.port)
    (folder / "copy").mkdir()
    copy = folder / "copy" / "other.yaml"
    copy.write_text(service.read_text().replace("127.0.0.1", "localhost"))
    first = begin(folder, "live", service, "--tune", "lib=off", "--yes", "--for", "30 seconds", *QUICK)
    wait_for(lambda: room.levels["lib"] == "off")
    for words in (("--tune", "ropeway=debug", "--yes"), ("--tune", "lib=off", "--yes")):
        second = call(folder, "live", copy, *words)
        assert (second.code, f"process {first.pid}" in second.err) == (2, True), second.err
    assert call(folder, "live", copy).code == 0, "looking is always allowed"
    os.kill(first.pid, signal.SIGTERM)
    out, _ = first.communicate(timeout=PATIENCE)
    assert (first.returncode, "put back and verified" in out, room.levels) == (1, True, LEVELS)
    assert call(folder, "live", copy, "--tune", "lib=off", "--yes", *QUICK).code == 0


def test_a_change_for_a_while_survives_its_own_death(folder: Path, room: Standin) -> None:
    service = service_file(folder, room.port)
    done = call(folder, "live", service, "--tune", "lib=off", "--yes", "--for", "300 ms", *QUICK)
    assert (done.code, "put back and verified: lib: warn" in done.out, room.levels) == (0, True, LEVELS)
    process = begin(folder, "live", service, "--tune", "lib=off", "--yes", "--for", "1 minute", *QUICK)
    wait_for(lambda: room.levels["lib"] == "off")
    process.kill()
    process.communicate()
    wait_for(lambda: room.levels == LEVELS and not record_of(folder).exists())
    wait_for(lambda: not guardians(folder))
    assert "is gone: levels are put back" in (folder / ".room.service.yaml.guardian.log").read_text()
