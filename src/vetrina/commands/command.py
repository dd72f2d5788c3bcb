"""What every command is, for the library that reads the command line."""

from __future__ import annotations

from typing import Any

from typer.core import TyperCommand


class PlainCommand(TyperCommand):
    """A command whose help tells its arguments once: Typer writes them, and newer versions of Click would again."""

    def format_arguments(self, ctx: Any, formatter: Any) -> None:
        """Write nothing."""
