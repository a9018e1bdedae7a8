"""The command line: one thin module per command, each imported only when its command runs."""

from ruvex.cli._boundary import run_guarded

__all__ = ["main"]


def main() -> None:
    """Run the command line in a process of its own, and leave with its exit status, whatever happens."""
    import sys

    def command() -> int:
        from ruvex.cli._app import run_command

        return run_command()

    sys.exit(run_guarded(command))
