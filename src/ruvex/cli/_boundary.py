"""What a person sees when a command ends otherwise than it should: one reason and one status, never a traceback."""

from __future__ import annotations

import errno
import io
import os
import signal
import sys
from collections.abc import Callable
from types import FrameType
from typing import Any, Final

DONE: Final = 0
UNUSABLE: Final = 2
OUR_FAULT: Final = 3
INTERRUPTED: Final = 130
_MOST_LINES: Final = 40


class OutputError(Exception):
    """What a command prints cannot be written."""


class ReaderGoneError(Exception):
    """Whoever read what a command prints has gone, as ``| head`` does. No OSError: typer makes a status of its own."""


class InterruptError(BaseException):
    """Ctrl+C. No KeyboardInterrupt: typer makes a status of its own of that."""


class _Output(io.TextIOWrapper):
    """Standard output that tells its own failures from all others."""

    def write(self, text: str) -> int:
        """Write a text."""
        try:
            return super().write(text)
        except OSError as error:
            raise _failed(error) from None

    def flush(self) -> None:
        """Hand on what was written."""
        try:
            super().flush()
        except OSError as error:
            raise _failed(error) from None


def _failed(error: OSError) -> Exception:
    gone = error.errno == errno.EPIPE
    return ReaderGoneError() if gone else OutputError(error.strerror or str(error))


def _interrupt(_number: int, _frame: FrameType | None) -> None:
    raise InterruptError


def run_guarded(command: Callable[[], int]) -> int:
    """Run a command; gives its exit status, or that of how it failed, which is told on standard error."""
    try:
        signal.signal(signal.SIGINT, _interrupt)
        if sys.stdout is None or sys.stdout.closed:
            _tell("there is no output to write to")
            return UNUSABLE
        if isinstance(sys.stdout, io.TextIOWrapper):
            encoding = sys.stdout.encoding
            sys.stdout = _Output(sys.stdout.detach(), encoding=encoding, errors="backslashreplace")
        status = command()
        sys.stdout.flush()
        return status
    except ReaderGoneError:
        return DONE
    except OutputError as error:
        _tell(f"the output cannot be written: {error}")
        return UNUSABLE
    except (InterruptError, KeyboardInterrupt):
        _tell("interrupted; nothing more was done")
        return INTERRUPTED
    except MemoryError:
        _tell("there is not enough memory for this plan on this machine")
        return OUR_FAULT
    except Exception as error:
        return _tell_error(error)
    finally:
        _leave_output()


def _leave_output() -> None:
    """Let what is left in the output be dropped where it cannot be written; Python would complain when it ends."""
    try:
        if sys.stdout is not None:
            sys.stdout.flush()
    except (OSError, OutputError, ReaderGoneError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)


def _tell_error(error: Exception) -> int:
    from ruvex.mishaps import write_report
    from ruvex.plan import OurFaultError, RuvexError

    if isinstance(error, RuvexError) and not isinstance(error, OurFaultError):
        lines = str(error).splitlines()
        if len(lines) > _MOST_LINES:
            lines = [*lines[:_MOST_LINES], f"… and {len(lines) - _MOST_LINES} more problems"]
        _tell("\n       ".join(lines))
        return UNUSABLE
    written = write_report(type(error), error, error.__traceback__)
    where = f"; what happened is written in {written}" if written is not None else ""
    reason = " ".join(str(error).split())[:300] or type(error).__name__
    _tell(f"Ruvex itself made a mistake: {reason}{where}")
    return OUR_FAULT


def _tell(text: Any) -> None:
    if sys.stderr is not None:
        try:
            print(f"ruvex: {text}", file=sys.stderr, flush=True)
        except (OSError, ValueError):
            # Nowhere to say it: the status says it.
            os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
