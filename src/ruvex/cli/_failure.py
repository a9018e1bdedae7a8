"""What a person sees when a command cannot do its work: the reason, never a traceback."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Final

UNUSABLE: Final = 2
_MOST_LINES: Final = 40


@contextmanager
def report_failures() -> Iterator[None]:
    """Turn known errors into a message and exit status 2, and a closed pipe or Ctrl+C into a quiet end."""
    try:
        yield
    except BrokenPipeError:
        # The reader went away (``ruvex divide … | head``); Python must not complain about it while it exits.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except KeyboardInterrupt:
        sys.exit(130)
    except Exception as error:
        from ruvex.plan import RuvexError

        if not isinstance(error, RuvexError):
            raise
        lines = str(error).splitlines()
        if len(lines) > _MOST_LINES:
            lines = [*lines[:_MOST_LINES], f"… and {len(lines) - _MOST_LINES} more problems"]
        print("ruvex: " + "\n       ".join(lines), file=sys.stderr)
        sys.exit(UNUSABLE)
