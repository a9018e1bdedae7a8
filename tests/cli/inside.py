"""Runs commands within this process: what they print and how they end is the same, and nothing has to start."""

from __future__ import annotations

import contextlib
import io
import signal
import subprocess
import sys
from functools import cache
from unittest.mock import patch

import typer

from ruvex.cli import main
from ruvex.engine import kernels

_parsed = cache(typer.main.get_command)
"""All commands with their options: made once, as they take as long as most commands that tests give."""


def run(*arguments: str) -> subprocess.CompletedProcess[str]:
    """Run ruvex here; gives what it printed and its exit status."""
    kernels.load()  # in this process all is compiled, whichever command comes first
    out, err = io.StringIO(), io.StringIO()
    before = signal.getsignal(signal.SIGINT)
    status = 0
    try:
        with (
            patch.object(sys, "argv", ["ruvex", *arguments]),
            patch.object(typer.main, "get_command", _parsed),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(err),
        ):
            main()
    except SystemExit as error:
        status = error.code if isinstance(error.code, int) else 1
    finally:
        signal.signal(signal.SIGINT, before)
    return subprocess.CompletedProcess(["ruvex", *arguments], status, out.getvalue(), err.getvalue())
