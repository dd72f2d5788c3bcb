"""Documents in other formats: read through a mapping, against a bare parse to a tree; a walked path against the library's."""

from __future__ import annotations

import gc
import json
import time
from collections.abc import Callable
from pathlib import Path

from vetrina.core.base.faults import Fault
from vetrina.core.documents.tree import Document
from vetrina.core.schema.nodes import Source
from vetrina.formats.adopting import read_adopted
from vetrina.formats.notations import notation
from vetrina.formats.notations.xpath_library import LibraryPath
from vetrina.formats.notations.xpaths import compiled

LOGGERS, APPENDERS = 10_000, 100
XML = """vetrina-mapping: 1
reads: xml
levels: {whisper: debug, shout: error}
placeholder: '\\?(?P<name>[\\w.]+)\\?'
values: [{each: //let, name: "@word", value: "@is"}]
loggers:
  - each: //ear
    name: {at: "ancestor-or-self::ear/@for", join: "."}
    level: "@from"
    to: [{each: goes, appender: "@to", floor: "@from"}]
    climb: {at: "@alone", words: {aye: false, nay: true}}
appenders: [{each: //drawer, name: "@id", sink: {text: file}, path: where, floor: "@from"}]
"""
JSON = """vetrina-mapping: 1
reads: json
loggers: [{each: '$.ears.*', name: {key: 0}, level: $.from, to: [{each: '$.to[*]', appender: $.at, floor: $.from}], climb: $.up}]
appenders: [{each: '$.drawers[*]', name: $.id, sink: {text: file}, path: $.where}]
"""
LINES = """vetrina-mapping: 1
reads: lines
loggers:
  - {each: {members: 'ear\\.(?P<n>.+)\\.from'}, name: {text: <n>}, level: $, to: {member: ear.<n>.to}}
appenders: [{each: {members: 'drawer\\.(?P<n>.+)'}, name: {text: <n>}, sink: {text: file}, path: $}]
"""


def _xml() -> str:
    ears = "".join(
        f'  <ear for="ticket.a{at % 100}.b{at}" from="{"whisper" if at % 3 else "shout"}" alone="{"nay" if at % 7 else "aye"}">'
        f'<goes to="day{at % APPENDERS}" from="shout"/></ear>\n'
        for at in range(LOGGERS)
    )
    drawers = "".join(f'  <drawer id="day{at}"><where>?store?/day{at}.txt</where></drawer>\n' for at in range(APPENDERS))
    return f'<kiosk>\n  <let word="store" is="/var"/>\n{ears}{drawers}</kiosk>\n'


def _json() -> str:
    ears = {
        f"ticket.a{at % 100}.b{at}": {"from": "debug", "to": [{"at": f"day{at % APPENDERS}", "from": "error"}], "up": True}
        for at in range(LOGGERS)
    }
    return json.dumps(
        {"ears": ears, "drawers": [{"id": f"day{at}", "where": f"/var/day{at}"} for at in range(APPENDERS)]}, indent=1
    )


def _lines() -> str:
    ears = "".join(
        f"ear.t.a{at % 100}.b{at}.from = debug\near.t.a{at % 100}.b{at}.to = day{at % 100}\n" for at in range(LOGGERS)
    )
    return ears + "".join(f"drawer.day{at} = /var/day{at}\n" for at in range(APPENDERS))


def measure(folder: Path) -> list[tuple[str, str, str]]:
    """Return the rows; both sides of a ratio take turns, without the cycle collector, as the program reads."""
    rows = []
    for name, text, mapping in (("xml", _xml(), XML), ("json", _json(), JSON), ("lines", _lines(), LINES)):
        document, by = folder / f"big.{name}", folder / f"{name}.mapping.yaml"
        document.write_text(text)
        by.write_text(mapping)

        def parsed(name: str = name, text: str = text) -> Document:
            return notation(name).read(text, Source("doc", "file", text), lambda _fault: None)

        def adopted(document: Path = document, by: Path = by) -> None:
            told: list[Fault] = []
            read_adopted(document, str(document), by, told)
            assert not told, told[:3]

        bare, whole = _turns(parsed, adopted)
        rows.append(
            (
                f"a document of 10,000 loggers and 100 appenders, {name}",
                f"{whole:.2f} s",
                f"{whole / bare:.1f}x a bare parse of it to a tree (wanted ≤ 5x)",
            )
        )
    text = _xml()
    ears = notation("xml").read(text, Source("doc", "file", text), lambda _fault: None).elements("ear")[:2000]
    walked, library = compiled("@for", {}), LibraryPath("@for", {})
    own, theirs = _turns(lambda: [walked.select(one) for one in ears], lambda: [library.select(one) for one in ears])
    rows.append(
        (
            "a path of an attribute, walked",
            f"{own / len(ears) * 1e6:.1f} µs a part",
            f"{theirs / own:.0f}x as fast as by the library",
        )
    )
    return rows


def _turns(one: Callable[[], object], other: Callable[[], object], turns: int = 4) -> tuple[float, float]:
    """Return the best time of each of two, taking turns."""
    best = [float("inf"), float("inf")]
    gc.disable()
    try:
        for _ in range(turns):
            for at, call in enumerate((one, other)):
                begin = time.perf_counter()
                call()
                best[at] = min(best[at], time.perf_counter() - begin)
    finally:
        gc.enable()
    return best[0], best[1]


if __name__ == "__main__":
    import tempfile

    with tempfile.TemporaryDirectory() as made:
        for row in measure(Path(made)):
            print(" | ".join(row))
