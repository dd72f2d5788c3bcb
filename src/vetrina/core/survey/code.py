"""A little of what source code says, the same for every language: texts, names, calls, types. Other code is Unknown."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple, TypeAlias


class Text(NamedTuple):
    """A text; what is put into it stands between its parts. One that is not ``scanned`` has no further holes in these."""

    parts: tuple[str | Expr, ...]
    scanned: bool = True


class Name(NamedTuple):
    """A name with what it is a member of, outermost first: `self.log` is ("self", "log")."""

    path: tuple[str, ...]

    @property
    def last(self) -> str:
        """Return its last part."""
        return self.path[-1]


class Member(NamedTuple):
    """A member of something that is no name."""

    of: Expr
    name: str


class Arg(NamedTuple):
    """An argument, with its name where it has one."""

    name: str | None
    value: Expr


class Call(NamedTuple):
    """A call: of a name or a member; ``types`` are type arguments, by name."""

    callee: Name | Member
    args: tuple[Arg, ...]
    line: int
    types: tuple[tuple[str, ...], ...] = ()

    @property
    def name(self) -> str:
        """Return the last part of what is called."""
        return self.callee.last if isinstance(self.callee, Name) else self.callee.name

    @property
    def receiver(self) -> Expr | None:
        """Return what it is called on, None for a bare name."""
        if isinstance(self.callee, Member):
            return self.callee.of
        return Name(self.callee.path[:-1]) if len(self.callee.path) > 1 else None


class Filled(NamedTuple):
    """A text whose holes a call or an operator fills."""

    text: Expr
    args: tuple[Arg, ...]


class TypeName(NamedTuple):
    """A type that is given as a value; an empty path is the type that the code stands in."""

    path: tuple[str, ...]


class Keys(NamedTuple):
    """A mapping that is written out, by the names of its members."""

    names: tuple[str, ...]


class Unknown(NamedTuple):
    """Other code."""


Expr: TypeAlias = Text | Name | Member | Call | Filled | TypeName | Keys | Unknown


class Site(NamedTuple):
    """A call where it stands: in which types (outermost first), and with which caught errors at hand."""

    call: Call
    types: tuple[str, ...] = ()
    caught: frozenset[str] = frozenset()
    macro: bool = False


class Unit(NamedTuple):
    """One file: its module, package or namespace, what its names are bound to, and where imported names come from.

    ``bound`` gives what a name was last set to before a line, within some types; None where nothing here sets it.
    ``by_type`` tells that loggers are called by namespace and type, else by module; ``by_package`` that imported names are
    packages, whose functions write to one log. ``made`` are the names that are set outside of any type, for others to import.
    """

    file: str
    module: tuple[str, ...]
    sites: tuple[Site, ...]
    bound: Callable[[str, Site], Expr | None]
    imports: Mapping[str, tuple[str, ...]]
    by_type: bool
    by_package: bool = False
    made: tuple[tuple[str, Expr], ...] = ()
    standard_log: str = ""
    """The name of a module of the language itself whose functions write to the root logger."""


class Bindings:
    """What names are set to, in the order of the lines."""

    def __init__(self) -> None:
        self._known: dict[str, list[tuple[int, tuple[str, ...], Expr]]] = {}

    def add(self, name: str, line: int, types: tuple[str, ...], value: Expr) -> None:
        """Note that a name is set on a line, within some types."""
        self._known.setdefault(name, []).append((line, types, value))

    def outside(self) -> tuple[tuple[str, Expr], ...]:
        """Return the names that are set outside of any type, with what they are set to last."""
        found = ((name, [value for _, types, value in known if not types]) for name, known in self._known.items())
        return tuple((name, values[-1]) for name, values in found if values)

    def of(self, name: str, site: Site) -> Expr | None:
        """Return what a name is set to where a call stands: in the nearest type around it, on the nearest line before it.

        One that is only set later counts as set; None where none is set in a type around the call, or in none.
        """
        known = [one for one in self._known.get(name, ()) if site.types[: len(one[1])] == one[1]]

        def near(one: tuple[int, tuple[str, ...], Expr]) -> tuple[int, bool, int]:
            line, types, _ = one
            before = line <= site.call.line
            return len(types), before, line if before else -line

        return max(known, key=near)[2] if known else None
