"""``ruvex integrate``: icon, desktop entry, kind of file, man page and completion, put in place and taken away."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import sysconfig
from pathlib import Path
from typing import Final

from ruvex.cli._share import MAN_PATH, SHELL_PATHS
from ruvex.plan import PlanFileError, replace_file

APP_ID: Final = "app.ruvex.Ruvex"
_ENTRY: Final = f"applications/{APP_ID}.desktop"
PATHS: Final = (
    _ENTRY, f"icons/hicolor/scalable/apps/{APP_ID}.svg", f"metainfo/{APP_ID}.metainfo.xml",
    f"mime/packages/{APP_ID}.xml", MAN_PATH, *SHELL_PATHS.values(),
)  # fmt: skip
"""Everything, below a folder ``share``."""
_TOLD_AFTERWARDS: Final = (("update-mime-database", "mime"), ("update-desktop-database", "applications"))
_MOST_WAIT_S: Final = 60


def integrate(*, remove: bool, share: Path | None = None) -> int:
    """Put all of it into the person's own folder of shared files, or take it away; gives the exit status.

    Raises
    ------
    PlanFileError
        A file cannot be written or removed, or was not installed.
    """
    into = share or _own_share()
    for path in PATHS:
        target = into / path
        try:
            if remove:
                target.unlink(missing_ok=True)
            else:
                content = (_shared() / path).read_bytes()
                target.parent.mkdir(parents=True, exist_ok=True)
                replace_file(target, _with_command(content) if path == _ENTRY else content)
        except OSError as error:
            raise PlanFileError(f"{target}: {error.strerror}") from None
    for command, folder in _TOLD_AFTERWARDS:
        program = shutil.which(command)
        if program is not None and (into / folder).is_dir():
            # What cannot be refreshed is refreshed by the desktop at the next start.
            subprocess.run([program, str(into / folder)], check=False, capture_output=True, timeout=_MOST_WAIT_S)
    print(f"taken away from {into}" if remove else f"put in place below {into}; take it away with --remove")
    return 0


def _own_share() -> Path:
    named = os.environ.get("XDG_DATA_HOME", "")
    return Path(named) if named.startswith("/") else Path.home() / ".local" / "share"


def _shared() -> Path:
    """Give the folder of what is put in place: of the checkout, or where it was installed."""
    checkout = Path(__file__).resolve().parents[3]
    for folder in (checkout / "share", Path(sysconfig.get_path("data")) / "share"):
        if (folder / _ENTRY).is_file():
            return folder
    raise PlanFileError("what is to be put in place was not installed; install Ruvex again with pip")


def _with_command(entry: bytes) -> bytes:
    """Let the entry name the command by its whole path: a desktop need not have it on its path."""
    program = Path(sys.executable).parent / "ruvex"
    if not program.exists():
        return entry
    quoted = '"' + "".join("\\\\" + ch if ch in '"`$\\' else ch for ch in str(program)).replace("%", "%%") + '"'
    return entry.replace(b"Exec=ruvex ", f"Exec={quoted} ".encode())
