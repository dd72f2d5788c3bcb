"""The commands joined into one program; a command's module is imported only when it is called."""

from __future__ import annotations

import gc
import sys
from importlib import import_module
from typing import Any, get_args, get_type_hints

import typer
from typer.core import TyperGroup
from typer.models import ArgumentInfo

from vetrina.commands.command import PlainCommand
from vetrina.commands.overview import COMMANDS, OPTIONS
from vetrina.core.base.faults import nearest, refuse


class LazyGroup(TyperGroup):
    """Knows the commands by name and loads one when it is asked for."""

    def list_commands(self, ctx: Any) -> list[str]:
        """Return the names, in the order of the help page."""
        del ctx
        return list(COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        """Return the command, None for an unknown name."""
        del ctx
        return _command(cmd_name) if cmd_name in COMMANDS else None

    def resolve_command(self, ctx: Any, args: list[str]) -> Any:
        """Return the command that ``args`` begin with; offer the nearest for an unknown one."""
        name = args[0] if args else ""
        if name and not name.startswith("-") and name not in COMMANDS:
            close = nearest(name, COMMANDS)
            fix = f'did you mean "vetrina {close[0]}"?' if close else "vetrina --help lists the commands"
            raise refuse(f'"{name[:60]}" is not a command', fix=fix, where="vetrina")
        return super().resolve_command(ctx, args)


def _command(name: str) -> Any:
    module = import_module(f"vetrina.commands.{name}")
    gc.freeze()
    gc.enable()
    if hasattr(module, "app"):
        group = typer.main.get_command(module.app)
        group.name = name
        return group
    one = typer.Typer(add_completion=False, rich_markup_mode=None, pretty_exceptions_enable=False)
    kind = getattr(module, "Command", PlainCommand)
    one.command(name, cls=kind, help=module.run.__doc__, no_args_is_help=False)(module.run)
    command = typer.main.get_command(one)
    _tell_arguments(command, module.run)
    return command


def _tell_arguments(command: Any, run: Any) -> None:
    """Give a command's arguments their help again: Click's newer versions overwrite what Typer gave them."""
    declared = {
        name: part
        for name, hint in get_type_hints(run, include_extras=True).items()
        for part in get_args(hint)
        if isinstance(part, ArgumentInfo)
    }
    for one in command.params:
        if one.name in declared:
            one.help = declared[one.name].help


app = typer.Typer(
    cls=LazyGroup,
    name="vetrina",
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    add_completion=True,
    no_args_is_help=False,
)


@app.callback(invoke_without_command=True, help="See which log messages reach which sink, before a change.")
def _top(
    version: bool = typer.Option(False, "--version", help=OPTIONS["--version"]),  # noqa: FBT001
) -> None:
    if version:
        from vetrina import __version__  # noqa: PLC0415

        sys.stdout.write(f"vetrina {__version__}\n")
        raise typer.Exit


def run() -> int:
    """Run the program; return its exit code."""
    command = typer.main.get_command(app)
    try:
        found: object = command.main(args=sys.argv[1:], prog_name="vetrina", standalone_mode=True)
    except SystemExit as end:
        if type(sys.stdout).__name__.endswith("PacifyFlushWrapper"):  # Click's way to say that the reader has gone
            raise BrokenPipeError from None
        return end.code if isinstance(end.code, int) else 0
    return found if isinstance(found, int) else 0
