"""Trying inputs in a process that may hang, die or swell without taking anybody with it."""

from __future__ import annotations

import os
import pickle
import resource
import select
import signal
import struct
import time
import traceback
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

_HEAD = struct.Struct("<I")


@dataclass(frozen=True)
class Finding:
    """An input that was not taken as it should be.

    Attributes
    ----------
    kind, content
        Which input.
    what
        What happened: the end of a traceback, a hang, a death.
    mark
        What tells this fault from others: the error and where it was raised.
    """

    kind: str
    content: bytes
    what: str
    mark: str


class Watchdog:
    """Runs trials one after the other in another process, begun anew when it does not answer in time.

    Attributes
    ----------
    taken
        How many inputs of each kind were not refused.
    """

    def __init__(self, kinds: Mapping[str, Callable[[bytes], bool]], *, seconds: float, more_bytes: int) -> None:
        self._kinds, self._seconds, self._more_bytes = kinds, seconds, more_bytes
        self.taken: Counter[str] = Counter()
        self._child = 0
        self._ask = self._answer = -1

    def try_input(self, kind: str, content: bytes) -> Finding | None:
        """Try an input; gives what was wrong with how it was taken, or None, and counts what was taken."""
        if self._child == 0:
            self._begin()
        self._send(self._ask, pickle.dumps((kind, content)))
        ready, _, _ = select.select([self._answer], [], [], self._seconds)
        if not ready:
            self.close()
            return Finding(kind, content, f"no answer within {self._seconds:g} s", "hang")
        answer = self._receive(self._answer)
        if answer is None:
            _, status = os.waitpid(self._child, 0)
            self._child = 0
            self.close()
            return Finding(kind, content, f"the process died with status {status}", f"death {status}")
        what, mark, is_taken = pickle.loads(answer)
        self.taken[kind] += is_taken
        return Finding(kind, content, what, mark) if what else None

    def close(self) -> None:
        """End the process."""
        if self._child:
            os.kill(self._child, signal.SIGKILL)
            os.waitpid(self._child, 0)
            self._child = 0
        for handle in (self._ask, self._answer):
            if handle >= 0:
                os.close(handle)
        self._ask = self._answer = -1

    def _begin(self) -> None:
        asked, self._ask = os.pipe()
        self._answer, answering = os.pipe()
        self._child = os.fork()
        if self._child == 0:
            try:
                os.close(self._ask)
                os.close(self._answer)
                self._serve(asked, answering)
            finally:
                os._exit(0)
        os.close(asked)
        os.close(answering)

    def _serve(self, asked: int, answering: int) -> None:
        used = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
        resource.setrlimit(resource.RLIMIT_AS, (used + self._more_bytes,) * 2)
        while (asked_for := self._receive(asked)) is not None:
            kind, content = pickle.loads(asked_for)
            what, mark, is_taken = "", "", False
            try:
                is_taken = self._kinds[kind](content)
            except BaseException as error:
                lines = traceback.format_exception(error)
                place = traceback.extract_tb(error.__traceback__)[-1]
                what, mark = "".join(lines)[-3000:], f"{type(error).__name__} {place.filename}:{place.name}"
            self._send(answering, pickle.dumps((what, mark, is_taken)))

    @staticmethod
    def _send(handle: int, data: bytes) -> None:
        data = _HEAD.pack(len(data)) + data
        while data:
            data = data[os.write(handle, data) :]

    @staticmethod
    def _receive(handle: int) -> bytes | None:
        def read(size: int) -> bytes:
            found = b""
            while len(found) < size:
                piece = os.read(handle, size - len(found))
                if not piece:
                    return b""
                found += piece
            return found

        head = read(_HEAD.size)
        return read(_HEAD.unpack(head)[0]) if head else None


def shrink(watchdog: Watchdog, finding: Finding, *, seconds: float) -> Finding:
    """Make what was found smaller as long as it is the same fault: pieces are left out, large ones first."""
    end = time.monotonic() + seconds
    best, size = finding, max(1, len(finding.content) // 2)
    while size >= 1 and time.monotonic() < end:
        start, is_smaller = 0, False
        while start < len(best.content) and time.monotonic() < end:
            shorter = best.content[:start] + best.content[start + size :]
            found = watchdog.try_input(best.kind, shorter)
            if found is not None and found.mark == best.mark:
                best, is_smaller = found, True
            else:
                start += size
        if not is_smaller or size > len(best.content):
            size //= 2
    return best
