"""The command line: one thin module per command, each imported only when its command runs."""

from ruvex.cli._app import main

__all__ = ["main"]
