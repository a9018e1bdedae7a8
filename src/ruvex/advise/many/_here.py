"""Random days on this machine: in threads where they are few, else with a helping process for each further core.

What computes lets go of the interpreter, but the events between its ticks do not: a day in which a host is lost is
three fifths Python, and two threads play it hardly faster than one. Processes do, once they have started.
"""

from __future__ import annotations

import multiprocessing
import signal
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, ThreadPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.advise.many._days import Source
from ruvex.advise.many._workers import each_done, workers_here
from ruvex.plan import RuvexError

Floats = NDArray[np.float64]

FEW: Final = 60
"""So many days are played before helping processes have started."""
_known: list[Source] = []
"""In a helping process: where the days come from that it plays."""


class HelperLostError(RuvexError):
    """A helping process has ended before its end, such as by a lack of memory."""


def here(source: Source, numbers: Sequence[int], *, workers: int | None = None) -> Iterator[tuple[int, Floats]]:
    """Play days on this machine, as many at a time as it has cores.

    Raises
    ------
    HelperLostError
        A helping process was lost; what was played until then has been given.
    """
    count = workers or workers_here()
    if len(numbers) <= FEW or count == 1:
        for at, figures in each_done(source.figures, numbers, workers=count):
            yield numbers[at], figures
        return
    # A process of its own is begun from nothing: a copy of this one would have the locks of its threads. Until it has
    # started, and beside it, this one plays as well.
    context = multiprocessing.get_context("spawn")
    helpers = ProcessPoolExecutor(count - 1, mp_context=context, initializer=_begin, initargs=(source,))
    with helpers, ThreadPoolExecutor(1) as own:
        waiting: dict[Future[Floats], tuple[int, bool]] = {}
        left = iter(numbers)
        try:
            while True:
                for is_own, most in ((True, 1), (False, 2 * (count - 1))):
                    while sum(mine == is_own for _, mine in waiting.values()) < most:
                        number = next(left, None)
                        if number is None:
                            break
                        job = own.submit(source.figures, number) if is_own else helpers.submit(_figures, number)
                        waiting[job] = number, is_own
                if not waiting:
                    return
                done, _ = wait(waiting, return_when=FIRST_COMPLETED)
                for future in sorted(done, key=lambda one: waiting[one]):
                    yield waiting.pop(future)[0], future.result()
        except BrokenProcessPool as error:
            raise HelperLostError("a helping process was lost, perhaps for want of memory; try fewer days") from error
        finally:
            helpers.shutdown(wait=True, cancel_futures=True)


def _begin(source: Source) -> None:
    """Take the plan, in a helping process. Ctrl+C is for the process that is helped: it stops this one."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _known[:] = [source]


def _figures(number: int) -> Floats:
    """Play a day, in a helping process."""
    return _known[0].figures(number)
