"""Where compiled kernels are kept between starts. Nothing here imports Numba."""

from __future__ import annotations

import contextlib
import hashlib
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import Final

from platformdirs import user_cache_path

_MARK: Final = "filled"
_NO_KERNELS: Final = ("__init__.py", "_all.py", "_cache.py", "kernels.py")
"""What is no part of any kernel."""


@cache
def cache_folder() -> Path:
    """Give the folder of compiled kernels, one for each state of their sources.

    Numba looks only at the file of the function it loads. A kernel holds the code of others that it calls, so a change
    of any file that they may be made of must lead to another folder.
    """
    digest = hashlib.sha256(version("numba").encode())
    for path in sorted(Path(__file__).parent.glob("*.py")):
        if path.name not in _NO_KERNELS:
            digest.update(path.read_bytes())
    return user_cache_path("ruvex", appauthor=False) / f"kernels-{digest.hexdigest()[:16]}"


def is_cache_filled() -> bool:
    """Tell whether every kernel has been compiled and kept."""
    return (cache_folder() / _MARK).is_file()


def mark_cache_filled() -> None:
    """Note that every kernel has been compiled; a folder that cannot be written is passed over."""
    with contextlib.suppress(OSError):
        if cache_folder().is_dir():
            (cache_folder() / _MARK).touch()
