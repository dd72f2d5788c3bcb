"""Documents in other formats read as plans: the mapping's file, the document, and what it includes."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from collections.abc import Mapping as AbstractMapping
from pathlib import Path

from vetrina.core.base.faults import Fault, Place, Refused, offer
from vetrina.core.config.grammar import PLAN_FILE
from vetrina.core.documents.adopted import Adoption
from vetrina.core.documents.building import Builder
from vetrina.core.documents.mapping import VERSION, Include, Mapping
from vetrina.core.documents.notation import Notation
from vetrina.core.documents.specs import SpecReader
from vetrina.core.documents.taking import LookUpFault, Scope, Taker
from vetrina.core.documents.tree import Document
from vetrina.core.schema import nodes
from vetrina.core.schema.nodes import Scalar, Source, kind_of
from vetrina.formats.documents import decode, read_bytes, read_document, unreadable
from vetrina.formats.notations import notation, notations

DEEPEST_INCLUDE = 20
BESIDE = ".mapping.yaml"
Texts = AbstractMapping[str, str]


def mapping_beside(document: Path) -> Path | None:
    """Return the mapping that stands beside a document and is found by itself, None where there is none.

    It is called as the document is, with or without that one's ending. A document that is a plan needs none.
    """
    for name in (f"{document.name}{BESIDE}", f"{document.stem}{BESIDE}"):
        found = document.with_name(name)
        if found.name != document.name and found.is_file():
            return None if _is_plan(document) else found
    return None


_LOOKED_AT = 1 << 16
_IN_JSON = re.compile(r'"vetrina"\s*:')
_IN_YAML = re.compile(r"""(?m)^(?:vetrina|'vetrina'|"vetrina")\s*:""")


def _is_plan(path: Path) -> bool:
    """Tell whether a file says near its beginning that it is a plan: by the plan's own key."""
    try:
        with path.open("rb") as file:
            begin = file.read(_LOOKED_AT).decode("utf-8-sig", "replace")
    except OSError:
        return False
    return (_IN_JSON if begin.lstrip().startswith("{") else _IN_YAML).search(begin) is not None


def read_mapping(path: Path, name: str, faults: list[Fault], texts: Texts | None = None) -> tuple[Mapping, Notation]:
    """Return a mapping and the notation that it reads; raise Unreadable for what is none, other faults are added."""
    text = texts[name] if texts and name in texts else decode(read_bytes(path, name), name)
    node = read_document(text, Source(name, "file", text), faults.append)
    if not isinstance(node, nodes.Mapping):
        what = "the file is empty" if node is None else f"a mapping's file is a mapping, and this is {kind_of(node)}"
        raise unreadable(name, what, "", f"begin with vetrina-mapping: {VERSION}")
    version, reads = node.get("vetrina-mapping"), node.get("reads")
    if not isinstance(version, Scalar) or version.text.strip() != str(VERSION):
        place = version.place if version is not None else node.place
        what = '"vetrina-mapping" is missing' if version is None else f"version {kind_of(version)} of mappings is not known"
        raise Refused([*faults, Fault("wrong-version", what, fix=f"begin with vetrina-mapping: {VERSION}", place=place)])
    known = notations()
    if not isinstance(reads, Scalar) or reads.text not in known:
        place = reads.place if reads is not None else node.place
        what = (
            '"reads" is missing: which notation is the document in?'
            if reads is None
            else f"no notation is called {kind_of(reads)}"
        )
        fix = offer(reads.text if isinstance(reads, Scalar) else "", known)
        raise Refused([*faults, Fault("missing-key" if reads is None else "wrong-value", what, fix=fix, place=place)])
    found = notation(reads.text)
    rest = nodes.Mapping(
        node.source, [one for one in node.pairs if one[0].text not in {"vetrina-mapping", "reads"}], nodes.at(node)
    )
    return SpecReader(found, PLAN_FILE, faults.append).mapping(rest, name), found


def read_adopted(
    path: Path, name: str, by: Path, faults: list[Fault], texts: Texts | None = None
) -> tuple[nodes.Mapping, Adoption]:
    """Return a document as the plan that it amounts to, and the account of its reading.

    ``texts`` stand in for files, by their names; faults are added to ``faults``, what is no document is raised.
    """
    mapping, kind = read_mapping(by, str(by), faults, texts)
    if faults:
        raise Refused(faults)
    adoption = Adoption(mapping, kind)
    _Reading(adoption, faults, texts or {}).read(path, name)
    if faults:
        raise Refused(faults)
    builder = Builder(adoption, faults)
    return builder.plan(), adoption


class _Reading:
    """Reads a document and those that it includes, each once, in the order in which they are named."""

    def __init__(self, adoption: Adoption, faults: list[Fault], texts: Texts) -> None:
        self.adoption, self.faults, self.texts = adoption, faults, texts
        self.known: set[str] = set()

    def read(self, path: Path, name: str, chain: tuple[str, ...] = (), asked: Place | None = None) -> None:
        """Read one document and, after it, what it includes."""
        real = os.path.realpath(path)
        if real in chain:
            self._fault(
                "documents include each other in a circle", " -> ".join([*map(os.path.basename, chain), path.name]), asked
            )
            return
        if len(chain) > DEEPEST_INCLUDE:
            self._fault(f"documents include documents more than {DEEPEST_INCLUDE} deep", "", asked)
            return
        if real in self.known:
            return
        self.known.add(real)
        document = self._document(path, name)
        self.adoption.documents.append(document)
        for included, place in self._included(document):
            below = Path(os.path.normpath(path.parent / included))
            self.read(below, _shown(name, included), (*chain, real), place)

    def _document(self, path: Path, name: str) -> Document:
        kind = self.adoption.notation
        if name in self.texts:
            text = self.texts[name]
        else:
            text, codec = kind.decode(read_bytes(path, name), name)
            self.adoption.codecs[name] = codec
        return kind.read(text, Source(name, "file", text), self.faults.append)

    def _included(self, document: Document) -> list[tuple[str, Place]]:
        """Return the paths that a document includes, with their places."""
        found: list[tuple[str, Place]] = []
        taker = Taker(self.adoption.mapping, [document])
        for include in self.adoption.mapping.includes:
            try:
                found += _paths(taker, include, document)
            except LookUpFault as fault:
                place = fault.place or include.each.node.place
                self.faults.append(Fault(fault.code, fault.what, why=fault.why, fix=fault.fix, place=place))
        return found

    def _fault(self, what: str, why: str, place: Place | None) -> None:
        self.faults.append(Fault("wrong-value", what, why=why, fix="leave one of them out", place=place))


def _paths(taker: Taker, include: Include, document: Document) -> Iterator[tuple[str, Place]]:
    for scope in taker.parts(include.each, Scope(document.root), whole=[document.root]):
        scope.part.touch()
        for one in taker.values(include.path, scope, single=True):
            place = Place(one.source.name, one.spot[0], one.spot[1])
            if "${" in one.text:
                raise LookUpFault("the path of an included document holds a placeholder", place,
                                  "documents are read before anything is filled", "write the path out")  # fmt: skip
            yield one.text, place


def _shown(name: str, included: str) -> str:
    """Return the name of an included document, as it is reached from the one that was named."""
    return os.path.normpath(Path(name).parent / included)
