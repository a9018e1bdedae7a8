"""Watching the file of the open plan: opened twice, changed, deleted or replaced by others."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QFileSystemWatcher, QLockFile, QObject, QTimer, pyqtSignal

from ruvex.desktop.state.desk import Desk
from ruvex.plan import PlanFileError, digest_of, read_file

_SETTLE_MS: Final = 200
_MOST_BYTES: Final = 1 << 30


class OwnFile(QObject):
    """Watches over the plan's own file.

    Signals
    -------
    noted(text)
        The plan is open elsewhere too.
    changed()
        Somebody else wrote the file, or put another one in its place.
    gone()
        Somebody deleted the file, or moved it away.
    """

    noted = pyqtSignal(str)
    changed = pyqtSignal()
    gone = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._document = desk.document
        self._lock: QLockFile | None = None
        self._path: Path | None = None
        self._seen: tuple[int, ...] | None = None
        self._digest = ""
        self._was_gone = False
        self._told = ""
        self._is_open = True
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE_MS)
        self._settle.timeout.connect(self.look)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(lambda _path: self._settle.start())
        self._watcher.directoryChanged.connect(lambda _path: self._settle.start())
        self._document.named.connect(self._on_named)

    def _on_named(self) -> None:
        if self._document.path != self._path:
            self._watch(self._document.path)
        elif not self._document.is_dirty:
            self._was_gone = False
            self._watch_again()

    def _watch(self, path: Path | None) -> None:
        self._path, self._seen, self._was_gone, self._told = path, None, False, ""
        watched = [*self._watcher.files(), *self._watcher.directories()]
        if watched:
            self._watcher.removePaths(watched)
        if self._lock is not None:
            self._lock.unlock()
            self._lock = None
        if path is None:
            return
        self._watch_again()
        lock = QLockFile(str(path.parent / f".{path.name}.lock"))
        lock.setStaleLockTime(0)
        if lock.tryLock(0):
            self._lock = lock
        elif lock.error() == QLockFile.LockError.LockFailedError:
            _, pid, host, _ = lock.getLockInfo()
            self.noted.emit(
                f"{path.name} is open in another Ruvex too (process {pid} on {host}). Who saves last overwrites the"
                " other; save under another name to keep both."
            )

    def _watch_again(self) -> None:
        """Watch the file, which is another one after it was replaced, and its folder, where it may come and go."""
        if self._path is None:
            return
        for path in (self._path, self._path.parent):
            if path.exists() and str(path) not in (*self._watcher.files(), *self._watcher.directories()):
                self._watcher.addPath(str(path))

    @property
    def is_changed(self) -> bool:
        """Whether the file is there and is another one than was read or written last."""
        return self._path is not None and self._disk_digest() not in ("", self._document.file.digest)

    def _disk_digest(self) -> str:
        """Give the digest of what is on disk now, empty where nothing is; read again only where that looks changed."""
        assert self._path is not None
        try:
            status = os.stat(self._path)  # noqa: PTH116
            seen = (status.st_mtime_ns, status.st_size, status.st_ino, status.st_ctime_ns)
            if seen != self._seen:
                self._digest, self._seen = digest_of(read_file(self._path, _MOST_BYTES)), seen
        except FileNotFoundError:
            self._digest, self._seen = "", None
        except (OSError, PlanFileError):
            # There, but not to be read, or no file any more: not what was opened in any case.
            self._digest, self._seen = "unreadable", None
        return self._digest

    def accept(self) -> None:
        """Take what is on disk as known; the next save writes over it."""
        if self._path is not None:
            self._document.take_digest(self._disk_digest())

    def look(self) -> None:
        """See what has become of the file; called when something stirs, and when the window is looked at again."""
        if self._path is None:
            return
        self._watch_again()
        is_gone = not self._disk_digest()
        if is_gone and not self._was_gone and self._document.file.digest:
            self._was_gone = True
            self.gone.emit()
        elif not is_gone:
            self._was_gone = False
            # Told once: who keeps what is here is not asked again each time he comes back to the window.
            told, self._told = self._told, self._digest if self.is_changed else ""
            if self._told not in ("", told):
                self.changed.emit()

    def close(self) -> None:
        """Let go of everything, for good: the window closes in good order, or only looks at plans."""
        if self._is_open:
            self._is_open = False
            self._document.named.disconnect(self._on_named)
            self._watch(None)
