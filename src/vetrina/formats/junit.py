"""Results as JUnit XML, which most CI systems show as tests."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal
from xml.etree import ElementTree as ET

from msgspec import Struct

_NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


class Case(Struct, frozen=True):
    """One test case: what it is called, where it belongs, and why it failed (nothing where it passed).

    ``kind`` is `failure`; `error` where nothing could be tried; `skipped` where it was not tried; `told` for what is said
    without failing.
    """

    name: str
    group: str
    failure: str = ""
    detail: str = ""
    kind: Literal["failure", "error", "skipped", "told"] = "failure"


def junit(suite: str, cases: Sequence[Case]) -> str:
    """Return the XML of one suite; characters that XML does not have are shown as escapes."""
    counts = {
        "tests": len(cases),
        "failures": sum(bool(one.failure) and one.kind == "failure" for one in cases),
        "errors": sum(one.kind == "error" for one in cases),
        "skipped": sum(one.kind == "skipped" for one in cases),
    }
    shown = {name: str(count) for name, count in counts.items()} | {"time": "0"}
    top = ET.Element(
        "testsuites", {"name": "vetrina", **{name: shown[name] for name in ("tests", "failures", "errors", "time")}}
    )
    group = ET.SubElement(top, "testsuite", {"name": _clean(suite), **shown})
    for case in cases:
        one = ET.SubElement(group, "testcase", {"name": _clean(case.name), "classname": _clean(case.group), "time": "0"})
        if case.kind == "told":
            ET.SubElement(one, "system-out").text = _clean(f"{case.failure}\n{case.detail}")
        elif case.kind == "skipped":
            ET.SubElement(one, "skipped", {"message": _clean(case.failure)})
        elif case.failure:
            part = ET.SubElement(one, case.kind, {"message": _clean(case.failure), "type": _clean(case.group)})
            part.text = _clean(case.detail)
    ET.indent(top)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(top, encoding="unicode") + "\n"


def _clean(text: str) -> str:
    return _NOT_XML.sub(lambda found: f"\\u{ord(found.group()):04x}", text)
