"""How long commands tell how far they are, and are stopped: what was done until then is kept."""

from __future__ import annotations

import signal
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from ruvex.advise import Told
from ruvex.cli._boundary import InterruptError
from ruvex.plan import StoppedError


def bar_of(what: str) -> Progress:
    """Give a bar with what is done, a word that changes, and how long it will take; nothing where nobody looks."""
    return Progress(
        TextColumn(what), BarColumn(), TextColumn("{task.fields[now]}"), TimeRemainingColumn(),
        console=Console(stderr=True), transient=True, disable=not sys.stderr.isatty(),
    )  # fmt: skip


@contextmanager
def interruptible() -> Iterator[list[int]]:
    """Take an interrupt as a wish to stop soon; who asks twice does not want to wait."""
    asked: list[int] = []

    def on_signal(number: int, _frame: FrameType | None) -> None:
        if asked:
            raise InterruptError
        asked.append(number)

    before = signal.signal(signal.SIGINT, on_signal)
    try:
        yield asked
    finally:
        signal.signal(signal.SIGINT, before)


@contextmanager
def telling(what: str) -> Iterator[tuple[Told, list[int]]]:
    """Give who is told how many plays are done, and whether an interrupt has stopped them."""
    with interruptible() as asked, bar_of(what) as bar:
        task = bar.add_task("", total=None, now="")

        def told(done: int, of: int) -> None:
            bar.update(task, completed=done, total=of, now=f"{done} of {of}")
            if asked:
                raise StoppedError("stopped")

        yield told, asked
