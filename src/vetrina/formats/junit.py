"""Results as JUnit XML, which most CI systems show as tests."""

from __future__ import annotations

import re
from collections.abc import Sequence
from xml.etree import ElementTree as ET

from msgspec import Struct

_NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


class Case(Struct, frozen=True):
    """One test case: what it is called, where it belongs, and why it failed (nothing where it passed)."""

    name: str
    group: str
    failure: str = ""
    detail: str = ""


def junit(suite: str, cases: Sequence[Case]) -> str:
    """Return the XML of one suite; characters that XML does not have are shown as escapes."""
    failed = sum(1 for case in cases if case.failure)
    counts = {"tests": str(len(cases)), "failures": str(failed), "errors": "0", "skipped": "0", "time": "0"}
    top = ET.Element(
        "testsuites", {"name": "vetrina", "tests": counts["tests"], "failures": counts["failures"], "errors": "0", "time": "0"}
    )
    group = ET.SubElement(top, "testsuite", {"name": _clean(suite), **counts})
    for case in cases:
        one = ET.SubElement(group, "testcase", {"name": _clean(case.name), "classname": _clean(case.group), "time": "0"})
        if case.failure:
            failure = ET.SubElement(one, "failure", {"message": _clean(case.failure), "type": _clean(case.group)})
            failure.text = _clean(case.detail)
    ET.indent(top)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ET.tostring(top, encoding="unicode") + "\n"


def _clean(text: str) -> str:
    return _NOT_XML.sub(lambda found: f"\\u{ord(found.group()):04x}", text)
