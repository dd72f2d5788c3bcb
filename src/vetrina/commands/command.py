"""What every command is, for the library that reads the command line."""

from __future__ import annotations

import sys
from typing import Any

import typer
from typer.core import TyperCommand

from vetrina.commands.outliving import outlived
from vetrina.commands.unknown_names import tell_unknown


class PlainCommand(TyperCommand):
    """A command whose help tells its arguments once: Typer writes them, and newer versions of Click would again."""

    def invoke(self, ctx: Any) -> Any:
        """Run the command; one that acts does so to its end."""
        with outlived(self.name or "", sys.argv[2:]):
            try:
                found = super().invoke(ctx)
            except typer.Exit:
                tell_unknown()
                raise
            tell_unknown()
            return found

    def format_arguments(self, ctx: Any, formatter: Any) -> None:
        """Write nothing."""
