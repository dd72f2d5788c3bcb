"""The statements of a program that write to its log, by their shape: a call named after a level, on something called a log.

Here: which calls these are, and what they say. Not here: reading source code (formats/programs).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from vetrina.core.survey.code import Arg, Call, Expr, Filled, Keys, Member, Name, Site, Text, TypeName, Unit
from vetrina.core.survey.messages import Message, constant, field_names, is_text
from vetrina.core.survey.words import WRITES, LevelWords, has_log, is_log_name, words_of

_DEEPEST = 20
_ERRORS = frozenset({"e", "ex", "exc", "err", "error", "exception", "throwable", "cause", "t"})
_ERROR_NAMES = frozenset({"exc_info", "error", "err", "exception", "exc"})
_NO_FIELDS = frozenset({"exc_info", "stack_info", "stacklevel", "extra", "target"})
_MODULE = frozenset({"__name__", "__MODULE__"})
_CHILDREN = frozenset({"child", "getchild", "get_child", "named", "withname"})


class Statement(Struct, frozen=True):
    """A statement that writes to the log.

    ``level`` is None where only the run shows it; ``sure`` tells that neither the logger nor the level is worked out then.
    """

    file: str
    line: int
    logger: str
    level: str | None
    message: str
    fields: tuple[str, ...]
    error: bool
    sure: bool


class Origin(Struct, frozen=True):
    """What is known of a logger: its name, and whether that is sure."""

    name: str
    sure: bool = True


class Reader:
    """Finds the statements of files; ``separator`` stands between the segments of loggers that are called by their place."""

    def __init__(self, words: LevelWords, separator: str = ".") -> None:
        self._words, self._separator = words, separator
        self._loggers: dict[tuple[str, ...], str] = {}
        self._imported: dict[int, tuple[str, ...]] = {}
        self._path: tuple[str, ...] = ()
        self._count = 0

    def settled(self, statements: Sequence[Statement]) -> list[Statement]:
        """Return the statements of all files, in their order, where loggers that one file makes and another imports are known."""
        found = list(statements)
        for at, path in self._imported.items():
            name = self._loggers.get(path)
            if name is not None and at < len(found):
                found[at] = replace(found[at], logger=name, sure=found[at].level is not None)
        return found

    def statements(self, unit: Unit) -> Iterator[Statement]:
        """Yield the statements of a file, in order."""
        self._note_made(unit)
        for site in unit.sites:
            self._path = ()
            found = self._statement(unit, site)
            if found is not None:
                if self._path and not found.sure:
                    self._imported[self._count] = self._path
                self._count += 1
                yield found

    def _note_made(self, unit: Unit) -> None:
        """Note the loggers that a file makes for all that import it."""
        nowhere = Site(Call(Name(("",)), (), 1 << 30))
        for name, value in unit.made:
            if isinstance(value, Call):
                origin = self._origin(value, unit, nowhere, 0)
                if origin is not None and origin.sure:
                    self._loggers[*unit.module, name] = origin.name

    def _statement(self, unit: Unit, site: Site) -> Statement | None:
        call = site.call
        level, args, sure = self._words.of_call(call.name), call.args, True
        raised = call.name == "exception"
        if raised and level is None:
            level = self._words.of("error")
        if level is None:
            found = self._level_argument(call)
            if found is None:
                return None
            level, args = found
            sure = level is not None
        origin = self._origin_of_call(unit, site)
        if origin is None:
            return None
        message, rest = self._message(args, unit, site)
        if message is None:
            return None
        rest = [*_along(call), *rest]
        error = raised or any(self._is_error(arg, site) for arg in rest)
        names = field_names([arg for arg in rest if arg.name not in _NO_FIELDS or isinstance(arg.value, Keys)], message.names)
        return Statement(unit.file, call.line, origin.name, level, message.text, names, error, sure and origin.sure)

    def _level_argument(self, call: Call) -> tuple[str | None, tuple[Arg, ...]] | None:
        """Return the level that a call of log, write or emit is given, and its other arguments; None for another call."""
        if call.name.lower() not in WRITES:
            return None
        for at, (_, value) in enumerate(call.args[:2]):
            rest = (*call.args[:at], *call.args[at + 1 :])
            text = constant(value)
            if text is not None and self._words.of(text) is not None and rest:
                return self._words.of(text), rest
            if isinstance(value, Name) and (level := self._words.of_constant(value.last)) is not None and rest:
                return level, rest
        first = call.args[0].value if len(call.args) > 1 else None
        if isinstance(first, Name) and not {"level", "lvl", "severity"}.isdisjoint(words_of(first.last)):
            return None, call.args[1:]
        return None

    def _message(self, args: tuple[Arg, ...], unit: Unit, site: Site) -> tuple[Message | None, list[Arg]]:
        """Return the first text among the arguments, else what the first of them puts in its place, and the other arguments."""
        texts = [self._unbound(arg.value, unit, site) for arg in args]
        at = next(
            (at for at, value in enumerate(texts) if is_text(value) and args[at].name in {None, "msg", "message", "event"}),
            None,
        )
        if at is None:
            at = next((at for at, arg in enumerate(args) if arg.name is None and not isinstance(arg.value, Keys)), None)
            if at is None:
                return None, []
        before, rest = list(args[:at]), list(args[at + 1 :])
        filled = any(arg.name is None for arg in rest)
        return Message(texts[at], filled=filled), before + _pairs(rest)

    def _unbound(self, value: Expr, unit: Unit, site: Site) -> Expr:
        """Return the text that a constant of this file holds, else the value itself."""
        if isinstance(value, Name) and value.last.isupper():
            known = unit.bound(value.last, site)
            if isinstance(known, Text):
                return known
        return value

    def _is_error(self, arg: Arg, site: Site) -> bool:
        value = arg.value
        if arg.name in _ERROR_NAMES:
            return not (isinstance(value, Name) and value.last in {"False", "None", "nil", "null"})
        if isinstance(value, Name):
            return value.last.lstrip("$@") in site.caught or (
                value.last.lstrip("$@").lower() in _ERRORS and len(value.path) == 1
            )
        if isinstance(value, Call):
            words = words_of(value.name)
            return bool(words) and words[-1] in {"exception", "error", "throwable"}
        return False

    def _origin_of_call(self, unit: Unit, site: Site) -> Origin | None:
        """Return the logger that a call writes to, None where it is called on no log."""
        call, receiver = site.call, site.call.receiver
        if site.macro:
            target = next((constant(arg.value) for arg in call.args if arg.name == "target"), None)
            return Origin(target) if target is not None else self._own(unit, site)
        if receiver is not None:
            return self._origin(receiver, unit, site, 0)
        path = unit.imports.get(call.name, ())
        return self._own(unit, site) if any(map(has_log, path[:-1])) else None

    def _origin(self, expr: Expr, unit: Unit, site: Site, depth: int) -> Origin | None:
        """Return the logger that something is, None for what is no log."""
        if depth > _DEEPEST:
            return None
        if isinstance(expr, Call):
            return self._made(expr, unit, site, depth + 1)
        if isinstance(expr, Member):
            return Origin(self._own(unit, site).name, sure=False) if is_log_name(expr.name) else None
        if not isinstance(expr, Name):
            return None
        if len(expr.path) == 1 and expr.path[0] == unit.standard_log != "":
            return Origin("root")
        known = unit.bound(expr.last, site)
        if known is not None and known != expr:
            found = self._origin(known, unit, site, depth + 1)
            if found is not None:
                return found
        imported = unit.imports.get(expr.path[0], ())
        from_log = len(expr.path) == 1 and any(map(has_log, imported))
        if from_log or is_log_name(expr.last):
            self._path = (*imported, *expr.path[1:]) if imported else ()
            return Origin(self._own(unit, site).name, sure=from_log and unit.by_package)
        return None

    def _made(self, call: Call, unit: Unit, site: Site, depth: int) -> Origin | None:
        """Return the logger that a call makes, None where it makes none."""
        receiver = call.receiver
        parent = self._origin(receiver, unit, site, depth) if receiver is not None else None
        name = next((text for arg in call.args if (text := constant(self._unbound(arg.value, unit, site))) is not None), None)
        if parent is not None and not has_log(call.name):
            if call.name.replace("_", "").lower() in _CHILDREN and name:
                return Origin(f"{parent.name}{self._separator}{name}", parent.sure)
            return parent
        callee = call.callee
        path = callee.path if isinstance(callee, Name) else (callee.name,)
        imported = unit.imports.get(path[0], ())
        if not any(has_log(part) for part in path) and not any(map(has_log, imported)):
            return None
        return self._named(call, name, unit, site)

    def _named(self, call: Call, name: str | None, unit: Unit, site: Site) -> Origin:
        """Return the logger that a call names: by a text, a type, the module's own name, else by its place."""
        for path in call.types:
            return Origin(self._type(path, unit, site))
        for _, value in call.args:
            if isinstance(value, TypeName):
                return Origin(self._type(value.path, unit, site))
            if isinstance(value, Name) and value.last in _MODULE:
                return Origin(self._separator.join(unit.module))
        if name is not None:
            return Origin(name or "root")
        given = [arg.value for arg in call.args if not isinstance(arg.value, Keys)]
        own = self._own(unit, site).name
        if not given and not unit.by_type and unit.standard_log and call.name == "getLogger":
            return Origin("root")
        return Origin(own, sure=not any(isinstance(value, Name | Call | Member | Text | Filled) for value in given))

    def _own(self, unit: Unit, site: Site) -> Origin:
        """Return the logger that is called by its place: its module, or its namespace and type."""
        path = (*unit.module, *site.types) if unit.by_type else unit.module
        return Origin(self._separator.join(path) or "root")

    def _type(self, path: tuple[str, ...], unit: Unit, site: Site) -> str:
        """Return the whole name of a type: the one that the code stands in, an imported one, or one beside it."""
        if not path:
            return self._own(unit, site).name
        if path[-1] in site.types:
            inner = site.types[: site.types.index(path[-1]) + 1]
            return self._separator.join((*unit.module, *inner))
        whole = unit.imports.get(path[0])
        if whole:
            return self._separator.join((*whole, *path[1:]))
        return self._separator.join(path if len(path) > 1 else (*unit.module, *path))


def _along(call: Call) -> list[Arg]:
    """Return what the calls before this one give along: `log.with("ride", 4).info(…)`."""
    found: list[Arg] = []
    receiver = call.receiver
    for _ in range(_DEEPEST):
        if not isinstance(receiver, Call) or has_log(receiver.name):
            break
        found = [*_pairs(list(receiver.args)), *found]
        receiver = receiver.receiver
    return found


def _pairs(args: list[Arg]) -> list[Arg]:
    """Return arguments, where names and values alternate as named ones."""
    if len(args) < 2 or len(args) % 2 or any(arg.name is not None for arg in args):
        return args
    names = [constant(arg.value) for arg in args[::2]]
    if not all(name is not None and name.replace("_", "").replace(".", "").replace("-", "").isalnum() for name in names):
        return args
    return [Arg(name, arg.value) for name, arg in zip(names, args[1::2], strict=True)]
