"""What is our own fault, written down where people find it: commands and window share the file."""

from __future__ import annotations

import contextlib
import datetime
import os
import stat
import sys
import traceback
from pathlib import Path
from types import TracebackType
from typing import Final

from ruvex import __version__

_FOLDER_VARIABLE: Final = "RUVEX_STATE_DIR"
_MOST_BYTES: Final = 4_000_000
"""A log that has grown to more begins anew: the same mishap a thousand times tells no more than once."""
_MOST_CHARACTERS: Final = 40_000


def state_folder() -> Path:
    """Give the folder for remembered things; RUVEX_STATE_DIR names another one."""
    import platformdirs

    named = os.environ.get(_FOLDER_VARIABLE)
    return Path(named) if named else platformdirs.user_state_path("ruvex")


def make_private(folder: Path) -> None:
    """Make a folder for remembered things that nobody but its owner can look into, whatever the umask is.

    Raises
    ------
    OSError
        It cannot be made.
    """
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    with contextlib.suppress(OSError):
        folder.chmod(0o700)


def write_report(
    kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
) -> Path | None:
    """Write down an error of ours; gives where, or None where that cannot be written."""
    told = "".join(traceback.format_exception(kind, error, trace))
    when = datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds")
    text = f"{when}  Ruvex {__version__}, Python {sys.version.split()[0]}\n{told[-_MOST_CHARACTERS:]}\n"
    with contextlib.suppress(OSError, ValueError):
        log = state_folder() / "errors.log"
        make_private(log.parent)
        handle = os.open(log, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NONBLOCK | os.O_CLOEXEC, 0o600)
        with os.fdopen(handle, "ab") as file:
            status = os.fstat(handle)
            if not stat.S_ISREG(status.st_mode):
                return None
            if status.st_size > _MOST_BYTES:
                file.truncate(0)
            file.write(text.encode("utf-8", "backslashreplace"))
        return log
    return None
