"""Many plays in the threads of this process: what computes lets go of the interpreter, so that they go side by side."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from typing import TypeVar

Task = TypeVar("Task")
Found = TypeVar("Found")


def workers_here() -> int:
    """Give how many threads are worth having."""
    return max(1, len(os.sched_getaffinity(0)))


def each_done(
    work: Callable[[Task], Found], tasks: Sequence[Task], *, workers: int | None = None
) -> Iterator[tuple[int, Found]]:
    """Do some tasks side by side and give each with its number as soon as it is done.

    Whoever stops asking stops the work: what has begun comes to its end, what has not does not begin.
    """
    count = workers or workers_here()
    with ThreadPoolExecutor(count) as pool:
        waiting: dict[Future[Found], int] = {}
        left = iter(enumerate(tasks))
        try:
            while True:
                # Only a few are handed in at a time, so that there is little to take back.
                while len(waiting) < 2 * count and (task := next(left, None)) is not None:
                    waiting[pool.submit(work, task[1])] = task[0]
                if not waiting:
                    return
                done, _ = wait(waiting, return_when=FIRST_COMPLETED)
                for future in sorted(done, key=lambda one: waiting[one]):
                    yield waiting.pop(future), future.result()
        finally:
            pool.shutdown(wait=True, cancel_futures=True)
