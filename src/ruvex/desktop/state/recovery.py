"""Losing no work: recovery copies, a note when a plan is open twice, and noticing what others write."""

from __future__ import annotations

import contextlib
import hashlib
import json
import threading
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from PyQt6.QtCore import QFileSystemWatcher, QLockFile, QObject, QTimer, pyqtSignal

from ruvex.desktop.state.desk import Desk
from ruvex.plan import PlanError, PlanFile, PlanFileError, read_plan, write_plan

_REST_MS: Final = 800
_SETTLE_MS: Final = 200
_SUBJECT: Final = "recovery copy"


@dataclass(frozen=True, slots=True)
class Leftover:
    """A recovery copy whose Ruvex is gone.

    Attributes
    ----------
    copy
        The copy.
    path
        The plan's own file, None if it never had one.
    name
        What the plan is called.
    """

    copy: Path
    path: Path | None
    name: str


class Keeper(QObject):
    """Watches over the open plan.

    Signals
    -------
    noted(text)
        The plan is open elsewhere too.
    changed_on_disk()
        Somebody else wrote the plan's file.
    """

    noted = pyqtSignal(str)
    changed_on_disk = pyqtSignal()

    def __init__(self, desk: Desk, folder: Path) -> None:
        super().__init__(desk)
        self._desk, self._folder = desk, folder / "recovery"
        self._token = uuid.uuid4().hex
        self._own_lock: QLockFile | None = None
        self._plan_lock: QLockFile | None = None
        self._path: Path | None = None
        self._digest = ""
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self.keep)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE_MS)
        self._at_disk, self._number = threading.Lock(), 0
        self._settle.timeout.connect(self._look)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(lambda _path: self._settle.start())
        desk.document.edited.connect(self._on_edited)
        desk.document.named.connect(self._on_named)

    # Recovery copies

    def _on_edited(self) -> None:
        # Started only once: who edits without a rest must not be without a copy.
        if not self._rest.isActive():
            self._rest.start()

    @property
    def copy(self) -> Path:
        """Where the recovery copy of the open plan lies while it has unsaved changes."""
        return self._folder / f"{self._token}.ruvex.json"

    def keep(self) -> None:
        """Write the recovery copy, beside the window."""
        if not self._desk.document.is_dirty:
            self.forget()
            return
        plan, layout = self._desk.document.plan, self._desk.document.file.layout
        path = self._desk.document.path
        facts = {"path": str(path) if path else None, "name": plan.name or (path.name if path else "New plan")}
        copy, facts_path = self.copy, self.copy.with_suffix(".facts")
        # What cannot be kept (a full disk, a read-only home) must not stand in the way of the work.
        with contextlib.suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            if self._own_lock is None:
                self._own_lock = QLockFile(str(self._folder / f"{self._token}.lock"))
                self._own_lock.setStaleLockTime(0)
                self._own_lock.tryLock(0)

        number = self._number

        def work() -> None:
            with self._at_disk, contextlib.suppress(OSError):
                if number != self._number:
                    return
                facts_path.write_text(json.dumps(facts), encoding="utf-8")
                write_plan(plan, copy, layout=layout)

        self._desk.background.run(_SUBJECT, work, lambda _value, _problem: None)

    def forget(self) -> None:
        """Remove the recovery copy: what it holds is saved, or was given up knowingly."""
        self._rest.stop()
        self._desk.background.drop(_SUBJECT)
        # A copy that is just being written is waited for; other work beside the window, a whole day played, is not.
        with self._at_disk:
            self._number += 1
            for path in (self.copy, self.copy.with_suffix(".facts")):
                with contextlib.suppress(OSError):
                    path.unlink()

    def leftovers(self) -> list[Leftover]:
        """Give the recovery copies of windows that ended without closing."""
        found = []
        for copy in sorted(self._folder.glob("*.ruvex.json")):
            token = copy.name.removesuffix(".ruvex.json")
            lock = QLockFile(str(self._folder / f"{token}.lock"))
            lock.setStaleLockTime(0)
            if token == self._token or not lock.tryLock(0):
                continue
            lock.unlock()
            facts: dict[str, Any] = {}
            with contextlib.suppress(OSError, ValueError):
                facts = dict(json.loads(copy.with_suffix(".facts").read_text(encoding="utf-8")))
            path = facts.get("path")
            found.append(Leftover(copy, Path(path) if path else None, str(facts.get("name") or "A plan")))
        return found

    def recover(self, leftover: Leftover) -> None:
        """Open a recovery copy as the unsaved state of its plan; the copy stays until that is saved.

        Raises
        ------
        PlanError, PlanFileError
            It cannot be read; it stays where it is.
        """
        traces_in = leftover.path.parent if leftover.path is not None else None
        file = read_plan(leftover.copy, traces_in=traces_in)
        layout = file.layout
        if leftover.path is not None:
            with contextlib.suppress(PlanError, PlanFileError):
                layout = read_plan(leftover.path).layout
        self._desk.document.show_file(PlanFile(file.plan, file.traces, layout), leftover.path, is_saved=False)
        self.keep()
        self._desk.background.wait()
        self.discard(leftover)

    def discard(self, leftover: Leftover) -> None:
        """Remove a recovery copy."""
        for path in (leftover.copy, leftover.copy.with_suffix(".facts")):
            with contextlib.suppress(OSError):
                path.unlink()

    # The plan's own file

    def _on_named(self) -> None:
        path = self._desk.document.path
        if path != self._path:
            self._watch(path)
        elif not self._desk.document.is_dirty:
            self._digest = _digest_of(path)
        if not self._desk.document.is_dirty:
            self.forget()

    def _watch(self, path: Path | None) -> None:
        self._path = path
        if self._watcher.files():
            self._watcher.removePaths(self._watcher.files())
        if self._plan_lock is not None:
            self._plan_lock.unlock()
            self._plan_lock = None
        if path is None:
            return
        self._digest = _digest_of(path)
        if path.exists():
            self._watcher.addPath(str(path))
        lock = QLockFile(str(path.parent / f".{path.name}.lock"))
        lock.setStaleLockTime(0)
        if lock.tryLock(0):
            self._plan_lock = lock
        elif lock.error() == QLockFile.LockError.LockFailedError:
            _, pid, host, _ = lock.getLockInfo()
            self.noted.emit(
                f"{path.name} is open in another Ruvex too (process {pid} on {host}). Who saves last overwrites the"
                " other; save under another name to keep both."
            )

    def is_changed_on_disk(self) -> bool:
        """Tell whether the plan's file is another one than was read or written last."""
        path = self._desk.document.path
        return path is not None and path.exists() and _digest_of(path) != self._digest

    def accept_disk(self) -> None:
        """Take what is on disk as known; the next save writes over it."""
        self._digest = _digest_of(self._desk.document.path)

    def _look(self) -> None:
        path = self._desk.document.path
        if path is None:
            return
        # A file that was replaced is another one to the watcher.
        if path.exists() and str(path) not in self._watcher.files():
            self._watcher.addPath(str(path))
        if self.is_changed_on_disk():
            self.changed_on_disk.emit()

    def close(self) -> None:
        """Let go of everything: the window closes in good order."""
        self.forget()
        self._watch(None)
        if self._own_lock is not None:
            self._own_lock.unlock()


def _digest_of(path: Path | None) -> str:
    if path is None:
        return ""
    try:
        return hashlib.blake2b(path.read_bytes()).hexdigest()
    except OSError:
        return ""
