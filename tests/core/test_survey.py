"""The statements in source code, language by language: the shapes that are taken, and those that are not."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import pytest

from vetrina.core.base.events import Event
from vetrina.core.base.levels import Scale
from vetrina.core.survey.matching import Matcher
from vetrina.core.survey.statements import Statement
from vetrina.core.survey.words import LevelWords, has_log, is_log_name
from vetrina.formats.programs.walking import survey

Row = tuple[str, str | None, str]
Table = dict[str, tuple[str, list[Row]]]


def found(folder: Path, name: str, source: str, **words: str) -> list[Statement]:
    path = folder / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(source, encoding="utf-8")
    return survey([str(folder)], LevelWords(Scale(), words), ".", lambda _count: None).statements


PYTHON: Table = {
    "by its module": ("LOG = getLogger(__name__); LOG.info('hello')", [("gate.scan", "info", "hello")]),
    "by a text": ("x = make_logger('a.b')\nx.warning('w')", [("a.b", "warn", "w")]),
    "a child": ("log = getLogger('a'); log.getChild('b').debug('d')", [("a.b", "debug", "d")]),
    "a parameter": ("def f(logger):\n  logger.error('e')", [("gate.scan?", "error", "e")]),
    "a dynamic name": ("log = getLogger(name); log.info('x')", [("gate.scan?", "info", "x")]),
    "the root": ("import logging\nlogging.warning('r')", [("root", "warn", "r")]),
    "holes": ("log.info('a %s %(b)s {} {c} 100%%', 1)", [("gate.scan?", "info", "a {1} {b} {2} {c} 100%")]),
    "no values, no percent": ("log.info('100%d')", [("gate.scan?", "info", "100%d")]),
    "f-string": ("log.info(f'x {a.b} {f(1)} {c!r:>4} {{d}}')", [("gate.scan?", "info", "x {a.b} {1} {c} {d}")]),
    "put together": ("log.info('x ' + y + ' z' + str(1))", [("gate.scan?", "info", "x {y} z{1}")]),
    "filled": ("log.info('x {} {y}'.format(1, y=2)); log.info('p %s' % q)", [("gate.scan?", "info", "x {1} {y}"), ("gate.scan?", "info", "p {1}")]),
    "a constant": ("MSG = 'm {x}'; log.info(MSG)", [("gate.scan?", "info", "m {x}")]),
    "no text at all": ("log.info(text)", [("gate.scan?", "info", "{text}")]),
    "by a level's word": ("log.log(CRITICAL, 'c'); log.write('info', 'i')", [("gate.scan?", "critical", "c"), ("gate.scan?", "info", "i")]),
    "by a level at run time": ("log.log(level, 'r')", [("gate.scan?", None, "r")]),
    "an exception": ("log.exception('e')", [("gate.scan?", "error", "e")]),
    "a list's method": ("items.debug('no')\nmath.log(3)\ncatalog.info('no'); log.append('info')", []),
    "a comment and a text": ("# log.info('no')\ns = \"log.info('no')\"", []),
    "not a call of a level": ("log.isInfoEnabled('x'); log.info_level('x'); log.setLevel(INFO)", []),
}  # fmt: skip
JAVA: Table = {
    "by a type": ('package a.b; class Scan { Logger l = Factory.getLogger(Scan.class); void f() { l.info("x {}", 1); } }', [("a.b.Scan", "info", "x {1}")]),
    "by an imported type": ('package a; import c.d.Foo; class S { void f() { getLogger(Foo.class).warn("w"); } }', [("c.d.Foo", "warn", "w")]),
    "a field of its own": ('package a; class S { void f() { this.log.error("e" + x, y); } }', [("a.S?", "error", "e{x}")]),
    "by a level": ('class S { void f() { log.log(Level.WARN, "m"); } }', [("S?", "warn", "m")]),
    "not taken": ('class S { void f(List<String> debug) { debug.debug("no"); /* log.info("no") */ String s = "log.info(1)"; } }', []),
}  # fmt: skip
CSHARP: Table = {
    "a typed one": ('namespace A.B; class S { ILogger<S> _l; void F() { _l.LogInformation("g {Gate}", 1); } }', [("A.B.S", "info", "g {Gate}")]),
    "interpolated": ('class S { void F() { log.Warn($"x {y.Z} {1 + 2}"); log?.Debug("q"); } }', [("S?", "warn", "x {y.Z} {1}"), ("S?", "debug", "q")]),
    "not taken": ('class S { void F() { list.Debug("no"); // log.Info("no")\n var s = "log.Info(1)"; } }', []),
}  # fmt: skip
SCRIPT: Table = {
    "by a text": ("const l = makeLogger('gate');\nl.info(`hi ${name} ${a + 1}`, {ride: 1});", [("gate", "info", "hi {name} {1}")]),
    "a member": ("class A { f() { this.logger.error('x' + err.message); } }", [("gate.scan?", "error", "x{err.message}")]),
    "fields before the text": ("log.warn({ride: 1}, 'w %s', x)", [("gate.scan?", "warn", "w {1}")]),
    "not taken": ("console.error('no'); list.debug('no'); // log.info('no')\nconst s = 'log.info(1)';", []),
}  # fmt: skip
GO: Table = {
    "a package": ('package gate\nimport "x/log"\nfunc f() { log.Infof("n %d", n) }', [("gate", "info", "n {1}")]),
    "made by a text": ('package gate\nvar l = logs.NewLogger("a.b")\nfunc f() { l.Warn("w") }', [("a.b", "warn", "w")]),
    "a chain": ('package gate\nfunc f() { log.With("a", 1).Error("e") }', [("gate?", "error", "e")]),
    "not taken": ('package gate\nfunc f() { items.Debug("no") /* log.Info("no") */ }', []),
}
RUST: Table = {
    "macros": ('fn f() { info!("n {} {ride} {x:?}", n); log::error!(target: "gate", "e"); }', [("gate.scan", "info", "n {1} {ride} {x}"), ("gate", "error", "e")]),
    "a method": ('fn f() { self.log.debug(format!("y {}", z)); }', [("gate.scan?", "debug", "y {1}")]),
    "not taken": ('fn f() { items.debug("no"); /* info!("no") */ let s = "info!(1)"; }', []),
}  # fmt: skip
PHP: Table = {
    "a member": ('<?php namespace A\\B; class S { function f() { $this->logger->info("g {g} $x"); } }', [("A.B.S?", "info", "g {g} {x}")]),
    "made by a text": ("<?php $l = F::getLogger('gate'); $l->warning(sprintf('n %d', $n)); $l->log(Level::ERROR, 'a' . $b);", [("gate", "warn", "n {1}"), ("gate", "error", "a{b}")]),
    "not taken": ("<?php $list->debug('no'); // $log->info('no')\n$s = '$log->info(1)';", []),
}  # fmt: skip
RUBY: Table = {
    "a block": ('module A\n class S\n  def f\n   @log.debug { "x #{y}" }\n  end\n end\nend', [("A.S?", "debug", "x {y}")]),
    "made by a text": ("L = Logs.logger('gate')\nL.error 'a' + b", [("gate", "error", "a{b}")]),
    "not taken": ("list.debug('no') # log.info('no')\ns = 'log.info(1)'", []),
}
KOTLIN: Table = {
    "by a type": ('package a.b\nclass S { val l = Logs.logger(S::class.java)\n fun f() { l.info { "g $x ${a.b}" } } }', [("a.b.S", "info", "g {x} {a.b}")]),
    "an error and a lambda": ('class S { fun f() { log.error(e) { "x" } } }', [("S?", "error", "x")]),
    "not taken": ('class S { fun f() { list.debug("no") /* log.info("no") */ } }', []),
}  # fmt: skip
LANGUAGES = {
    ".py": PYTHON,
    ".java": JAVA,
    ".cs": CSHARP,
    ".js": SCRIPT,
    ".ts": SCRIPT,
    ".go": GO,
    ".rs": RUST,
    ".php": PHP,
    ".rb": RUBY,
    ".kt": KOTLIN,
}
CASES = [
    pytest.param(suffix, source, rows, id=f"{suffix[1:]}: {name}")
    for suffix, table in LANGUAGES.items()
    for name, (source, rows) in table.items()
]


@pytest.mark.parametrize("suffix, source, rows", CASES)
def test_statements_are_found_by_their_shape(tmp_path: Path, suffix: str, source: str, rows: list[Row]) -> None:
    told = found(tmp_path, f"gate/scan{suffix}", source)

    assert [(one.logger + ("" if one.sure or one.level is None else "?"), one.level, one.message) for one in told] == [
        (logger if level is not None else logger.rstrip("?"), level, message) for logger, level, message in rows
    ]


@pytest.mark.parametrize(
    "name, source",
    [
        ("a.py", "x = 1; log.info(\n  'a'\n)"),
        ("A.java", 'class S {\n void f() { log\n.info(\n"a"\n); } }'),
        ("a.rs", 'fn f() {\n info!(\n "a"\n );\n}'),
        ("a.kt", 'fun f() {\n log.info {\n "a"\n }\n}'),
    ],
)
def test_the_line_is_that_of_the_name_that_is_called(tmp_path: Path, name: str, source: str) -> None:
    (one,) = found(tmp_path, name, source)

    assert "info" in source.splitlines()[one.line - 1]


@pytest.mark.parametrize(
    "source, fields, error",
    [
        ("log.info('a {b}', extra={'c': 1, 'd': 2})", ("b", "c", "d"), False),
        ("log.info('a', ride=1, exc_info=True)", ("ride",), True),
        ("log.info('a', exc_info=False)", (), False),
        ("try:\n  f()\nexcept E as problem:\n  log.warning('a %s', problem)", (), True),
        ("log.warning('a %s', err)", (), True),
        ("log.warning('a', IOError('x'))", (), True),
        ("log.bind(ride=4).info('a')", ("ride",), False),
    ],
)
def test_what_goes_along_is_noted(tmp_path: Path, source: str, fields: tuple[str, ...], error: bool) -> None:
    (one,) = found(tmp_path, "a.py", source)

    assert (one.fields, one.error) == (fields, error)


def test_loggers_that_one_module_makes_and_another_imports_are_known(tmp_path: Path) -> None:
    for name, text in (("__init__.py", ""), ("logs.py", "import logging\nAUDIT = logging.getLogger('audit')\n")):
        (tmp_path / "pkg").mkdir(exist_ok=True)
        (tmp_path / "pkg" / name).write_text(text)
    (one,) = found(tmp_path, "pkg/door.py", "from .logs import AUDIT as mine\nmine.info('x')")
    (unknown,) = [
        two for two in found(tmp_path, "pkg/door.py", "from other.logs import LOG; LOG.info('x')") if two.message == "x"
    ]

    assert (one.logger, one.sure) == ("audit", True)
    assert (unknown.logger, unknown.sure) == ("pkg.door", False)


def test_further_words_for_levels(tmp_path: Path) -> None:
    source = "log.severe('s'); log.log(Level.FINE, 'f')"

    assert found(tmp_path, "a.py", source) == []
    assert [one.level for one in found(tmp_path, "a.py", source, severe="error", fine="debug")] == ["error", "debug"]


@pytest.mark.parametrize(
    "name, told",
    [
        ("log", True),
        ("auditLog", True),
        ("_logger2", True),
        ("LOGGER", True),
        ("slog", True),
        ("catalog", False),
        ("dialog", False),
        ("logs_dir", False),
        ("login", False),
    ],
)
def test_what_is_called_a_log(name: str, told: bool) -> None:
    assert is_log_name(name) is told
    assert has_log("getLogger")
    assert not has_log("getCatalog")


def test_events_are_explained_by_the_best_statement() -> None:
    def one(logger: str, level: str | None, message: str, sure: bool = True) -> Statement:
        return Statement("a.py", 1, logger, level, message, (), error=False, sure=sure)

    statements = [
        one("a", "info", "gate {1} open"),
        one("a", "info", "gate {1} open for {ride}"),
        one("b", "info", "{text}"),
        one("c", None, "any {x}", sure=False),
    ]
    matcher = Matcher(statements, Scale())
    at = datetime(2026, 1, 1, tzinfo=UTC)
    for logger, level, message in (
        ("a", "info", "gate 4 open"),
        ("a", "info", "gate {gate} open for {ride}"),
        ("a", "warn", "gate 4 open"),
        ("b", "info", "whatever"),
        ("z", "error", "any 3"),
        ("a", "info", "gate(4) open"),
    ):
        matcher.feed([Event(at, level, logger, message)])

    assert matcher.found.seen == {0: 1, 1: 1, 2: 1, 3: 1}
    assert [(two.logger, two.severity, two.message) for two in matcher.unexplained()] == [
        ("a", 9, "gate(4) open"),
        ("a", 13, "gate 4 open"),
    ]
