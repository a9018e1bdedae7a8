"""Losing no work: recovery copies while there are changes that are not saved."""

from __future__ import annotations

import contextlib
import threading
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QLockFile, QObject, QTimer, pyqtSignal

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.recovery_copy import SUFFIX, Facts, read_copy, read_facts, write_copy
from ruvex.mishaps import make_private
from ruvex.plan import (
    PlanError,
    PlanFile,
    PlanFileError,
    clear_leftovers,
    digest_of,
    read_document,
    read_file,
    trace_files,
)
from ruvex.site import site_of

_REST_MS: Final = 800
_SHARE_OF_TIME: Final = 10
"""A copy that takes long, of a plan with large traces, is followed by a rest of as many times its own length."""
_SUBJECT: Final = "recovery copy"
_MOST_BYTES: Final = 1 << 30
_DAMAGED: Final = ".damaged"


@dataclass(frozen=True, slots=True)
class Leftover:
    """A recovery copy whose Ruvex is gone.

    Attributes
    ----------
    copy
        The copy.
    facts
        What is known of it.
    """

    copy: Path
    facts: Facts


class Recovery(QObject):
    """Keeps a copy of what is not saved, and finds those that others left.

    Signals
    -------
    noted(text)
        No copy can be kept; told once for each reason.
    """

    noted = pyqtSignal(str)

    def __init__(self, desk: Desk, folder: Path) -> None:
        super().__init__(desk)
        self._desk, self._folder = desk, folder / "recovery"
        self._token = uuid.uuid4().hex
        self._own_lock: QLockFile | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self.keep)
        self._at_disk, self._number = threading.Lock(), 0
        self._told: set[str] = set()
        desk.document.edited.connect(self.begin)
        desk.document.named.connect(self._on_named)

    @property
    def copy(self) -> Path:
        """Where the recovery copy of the open plan lies while it has unsaved changes."""
        return self._folder / f"{self._token}{SUFFIX}"

    def begin(self) -> None:
        """Write a copy soon."""
        # Started only once: who edits without a rest must not be without a copy.
        if not self._rest.isActive():
            self._rest.start()

    def _on_named(self) -> None:
        if not self._desk.document.is_dirty:
            self.forget()
        else:
            self.begin()

    def keep(self) -> None:
        """Write the recovery copy, beside the window."""
        document = self._desk.document
        if not document.is_dirty:
            self.forget()
            return
        plan, traces, path = document.plan, document.site.traces, document.path
        layout, digest, copy = document.file.layout, document.file.digest, self.copy
        # What cannot be kept (a full disk, a read-only home) must not stand in the way of the work.
        with contextlib.suppress(OSError):
            make_private(self._folder)
            if self._own_lock is None:
                self._own_lock = QLockFile(str(self._folder / f"{self._token}.lock"))
                self._own_lock.setStaleLockTime(0)
                self._own_lock.tryLock(0)
        number = self._number

        def work() -> float:
            begun = time.monotonic()
            with self._at_disk:
                if number == self._number:
                    write_copy(copy, plan, traces, layout, path=path, digest=digest)
            return time.monotonic() - begun

        self._desk.background.run(_SUBJECT, work, self._on_kept)

    def _on_kept(self, took_s: float | None, problem: Exception | None) -> None:
        if took_s is not None:
            self._rest.setInterval(max(_REST_MS, int(took_s * 1000 * _SHARE_OF_TIME)))
        elif isinstance(problem, PlanFileError):
            reason = str(problem).rpartition(": ")[2]
            if reason not in self._told:
                self._told.add(reason)
                self.noted.emit(f"No recovery copy can be kept: {reason}. Save your plan yourself.\n{problem}")
        elif problem is not None:
            raise problem

    def forget(self) -> None:
        """Remove the recovery copy: what it holds is saved, or was given up knowingly."""
        self._rest.stop()
        self._desk.background.drop(_SUBJECT)
        # A copy that is just being written is waited for; other work beside the window, a whole day played, is not.
        with self._at_disk:
            self._number += 1
            with contextlib.suppress(OSError):
                self.copy.unlink()

    def leftovers(self) -> tuple[list[Leftover], list[Path]]:
        """Give the recovery copies of windows that ended without closing, the newest first.

        Those that hold just what was saved are removed, damaged ones are set aside: the second list names these.
        """
        found: list[tuple[float, Leftover]] = []
        damaged: list[Path] = []
        clear_leftovers(self._folder)
        self._clear_locks()
        copies: list[Path] = []
        with contextlib.suppress(OSError):
            copies = sorted(path for path in self._folder.iterdir() if path.name.endswith(SUFFIX))
        for copy in copies:
            lock = QLockFile(str(self._folder / f"{copy.name.removesuffix(SUFFIX)}.lock"))
            lock.setStaleLockTime(0)
            if copy == self.copy or not lock.tryLock(0):
                continue
            lock.unlock()
            try:
                facts = read_facts(copy)
            except (PlanError, PlanFileError):
                damaged.append(self.set_aside(copy))
                continue
            if _is_saved(facts):
                self.discard(copy)
                continue
            with contextlib.suppress(OSError):
                found.append((copy.stat().st_mtime, Leftover(copy, facts)))
        found.sort(key=lambda pair: pair[0], reverse=True)
        return [leftover for _, leftover in found], damaged

    def _clear_locks(self) -> None:
        """Remove the locks of windows that were killed when they had no copy any more."""
        with contextlib.suppress(OSError):
            for path in self._folder.glob("*.lock"):
                lock = QLockFile(str(path))
                lock.setStaleLockTime(0)
                # Locked it is nobody else's, and let go it is gone.
                if lock.tryLock(0):
                    lock.unlock()

    def recover(self, leftover: Leftover) -> None:
        """Open a recovery copy as the unsaved state of its plan; the copy stays until that is saved.

        Where the plan's own file is still what it was, taking the edit back leads to what is saved. Where somebody has
        changed it since, saving asks.

        Raises
        ------
        PlanError, PlanFileError
            It cannot be read; it stays where it is.
        """
        found = read_copy(leftover.copy)
        path, document = found.facts.path, self._desk.document
        file = PlanFile(found.plan, found.traces, found.layout, found.facts.digest)
        saved = None
        if path is not None and found.facts.digest:
            with contextlib.suppress(PlanError, PlanFileError):
                saved = read_document(path)
        if saved is not None and saved.digest == found.facts.digest and _has_traces(saved, found.traces):
            document.show_file(PlanFile(saved.plan, found.traces, saved.layout, saved.digest), path)
            document.make("changes recovered", site_of(found.plan, found.traces))
        else:
            document.show_file(file, path, is_saved=False)
        self.keep()
        self._desk.background.wait()
        if self.copy.exists():
            self.discard(leftover.copy)

    def discard(self, copy: Path) -> None:
        """Remove a recovery copy."""
        with contextlib.suppress(OSError):
            copy.unlink()

    def set_aside(self, copy: Path) -> Path:
        """Keep a copy that cannot be used for whoever can make something of it, out of the way; gives where."""
        aside = copy.with_suffix(_DAMAGED)
        with contextlib.suppress(OSError):
            copy.replace(aside)
        return aside

    def close(self) -> None:
        """Let go of everything: the window closes in good order."""
        self.forget()
        if self._own_lock is not None:
            self._own_lock.unlock()


def _is_saved(facts: Facts) -> bool:
    """Tell whether a copy holds just what its plan's file holds: it was saved, and there was no time to forget it."""
    if facts.path is None:
        return False
    try:
        return digest_of(read_file(facts.path, _MOST_BYTES)) == facts.plan_digest
    except PlanFileError:
        return False


def _has_traces(file: PlanFile, traces: object) -> bool:
    return isinstance(traces, dict) and all(name in traces for name in trace_files(file.plan))
