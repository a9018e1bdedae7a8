"""Reading and replacing files so that nothing hangs, nothing grows without bound and no crash leaves half of one."""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
import stat
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO, Final

from ruvex.plan._errors import PlanFileError, ReadOnlyFileError, WrittenWrongError

_CHUNK: Final = 1 << 20
_LONGEST_NAME: Final = 180
"""Bytes of a file's name that its temporary name takes over; the whole may have 255."""
_TOKEN: Final = r"\.[0-9a-f]{32}\.part"


def read_file(path: Path, most_bytes: int, *, called: str = "") -> bytes:
    """Read a regular file; errors name it by its path, or as it is ``called``.

    Pipes, devices and folders are refused before anything is read: a pipe that nobody writes to would wait for ever,
    and ``/dev/zero`` has no end.

    Raises
    ------
    PlanFileError
        It is not a regular file, has more bytes than allowed, or cannot be read.
    """
    name = called or str(path)
    try:
        _must_be_regular(name, os.stat(path))  # noqa: PTH116  (a Path that ends in a NUL is told the same way)
        with os.fdopen(os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC), "rb") as file:
            status = os.fstat(file.fileno())
            # Another file may have taken the name since.
            _must_be_regular(name, status)
            if status.st_size > most_bytes:
                raise PlanFileError(f"{name}: {status.st_size} bytes is more than it may have ({most_bytes})")
            pieces, left = [], most_bytes + 1
            # What grows while it is read is cut there, and then refused.
            while left > 0 and (piece := file.read(min(_CHUNK, left))):
                pieces.append(piece)
                left -= len(piece)
            content = b"".join(pieces)
    except ValueError as error:
        raise PlanFileError(f"{name!r} cannot be read: {error}") from None
    except OSError as error:
        if isinstance(error, PlanFileError):
            raise
        raise PlanFileError(f"{name}: cannot be read: {error.strerror}") from None
    if len(content) > most_bytes:
        raise PlanFileError(f"{name}: more than {most_bytes} bytes; it may not have as many")
    return content


def _must_be_regular(name: str, status: os.stat_result) -> None:
    if not stat.S_ISREG(status.st_mode):
        kinds = {stat.S_IFDIR: "a folder", stat.S_IFIFO: "a pipe", stat.S_IFSOCK: "a socket"}
        kind = kinds.get(stat.S_IFMT(status.st_mode), "a device")
        raise PlanFileError(f"{name}: this is {kind}, not a file")


def replace_file(path: Path, content: bytes, *, even_read_only: bool = False, private: bool = False) -> None:
    """Put some content in the place of a file: whoever looks finds the old or the new one, never half of one.

    A private file is readable by its owner alone, whatever the umask is and whatever the old file was.

    Raises
    ------
    ReadOnlyFileError
        It is read-only, and nobody said that it may be replaced all the same.
    WrittenWrongError
        What is read back is not what was written; the old file stays.
    PlanFileError
        It is not a regular file, or cannot be written; what was there stays.
    """
    with replacing(path, even_read_only=even_read_only, private=private) as file:
        file.write(content)
        file.flush()
        file.seek(0)
        if file.read() != content:
            raise WrittenWrongError(f"{path}: what was written reads differently; the old file stays")


@contextmanager
def replacing(path: Path, *, even_read_only: bool = False, private: bool = False) -> Iterator[BinaryIO]:
    """Give a file to be written, which takes the place of another once it is whole.

    A link stays a link: what it points to is replaced. Owner, group, mode and access list of the old file are kept as
    far as the system lets one. Temporary files of writers that were killed are removed.

    Raises
    ------
    ReadOnlyFileError, PlanFileError
        As ``replace_file``; what was there stays, also when the block raises.
    """
    try:
        target = Path(os.path.realpath(path))
        old = _status_of(target)
        if old is not None:
            _must_be_regular(str(path), old)
            if not even_read_only and not (old.st_mode & 0o222 and os.access(target, os.W_OK)):
                raise ReadOnlyFileError(f"{path}: the file is read-only")
        clear_leftovers(target.parent, target.name)
        part, handle = _new_part(target, 0o600 if private or old is not None else 0o666)
        try:
            with os.fdopen(handle, "w+b") as file:
                yield file
                file.flush()
                if old is not None and not private:
                    _dress_as(file.fileno(), target, old)
                os.fsync(file.fileno())
                # Renamed while still locked, so that nobody takes it for a leftover.
                part.replace(target)
        except BaseException:
            with contextlib.suppress(OSError):
                part.unlink()
            raise
        _flush_folder(target.parent)
    except (OSError, ValueError) as error:
        if isinstance(error, PlanFileError):
            raise
        reason = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise PlanFileError(f"{path}: cannot be written: {reason}") from None


def clear_leftovers(folder: Path, name: str | None = None) -> None:
    """Remove temporary files of writers that are gone: those of one file, or of all in a folder.

    A writer holds a lock on its temporary file as long as it lives; one that can be locked has no writer.
    """
    pattern = re.compile((re.escape(f".{_stem(name)}") if name is not None else r"\..*") + _TOKEN)
    with contextlib.suppress(OSError):
        for entry in os.scandir(folder):
            if pattern.fullmatch(entry.name) and entry.is_file(follow_symlinks=False):
                with contextlib.suppress(OSError):
                    handle = os.open(entry.path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
                    try:
                        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                        os.unlink(entry.path)  # noqa: PTH108  (the entry's own path, as it was found)
                    finally:
                        os.close(handle)


def _stem(name: str) -> str:
    return os.fsencode(name)[:_LONGEST_NAME].decode("utf-8", "ignore")


def _status_of(path: Path) -> os.stat_result | None:
    try:
        return path.stat()
    except FileNotFoundError:
        return None


def _new_part(target: Path, mode: int) -> tuple[Path, int]:
    """Make a temporary file beside another and lock it; gives its path and its handle."""
    while True:
        part = target.parent / f".{_stem(target.name)}.{uuid.uuid4().hex}.part"
        handle = os.open(part, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, mode)
        try:
            # Where a file system knows no locks nobody can mistake it for a leftover either.
            with contextlib.suppress(OSError):
                fcntl.flock(handle, fcntl.LOCK_EX)
            # Somebody who clears leftovers may have had it between the two calls.
            if os.fstat(handle).st_nlink > 0:
                return part, handle
        except BaseException:
            os.close(handle)
            part.unlink(missing_ok=True)
            raise
        os.close(handle)


def _dress_as(handle: int, path: Path, old: os.stat_result) -> None:
    """Give a new file the owner, group, access list and mode of the old one, as far as the system lets one."""
    new = os.fstat(handle)
    if (new.st_uid, new.st_gid) != (old.st_uid, old.st_gid):
        try:
            os.fchown(handle, old.st_uid, old.st_gid)
        except OSError:
            with contextlib.suppress(OSError):
                os.fchown(handle, -1, old.st_gid)
    with contextlib.suppress(OSError):
        for name in os.listxattr(path):
            with contextlib.suppress(OSError):
                os.setxattr(handle, name, os.getxattr(path, name))
    with contextlib.suppress(OSError):
        os.fchmod(handle, stat.S_IMODE(old.st_mode))


def _flush_folder(folder: Path) -> None:
    """See to it that a rename is on the disk, not only in memory: power may fail right after."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
