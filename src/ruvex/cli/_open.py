"""``ruvex open`` and ``ruvex demo``."""

from __future__ import annotations

from pathlib import Path


def open_desktop(plan: Path | None, *, as_copy: bool = False) -> int:
    """Open the desktop and stay until it is closed; gives the exit status."""
    from ruvex.desktop import run_desktop

    return run_desktop(plan, as_copy=as_copy)


def open_demo() -> int:
    """Open the desktop with a copy of the demo plan, which has no file yet; gives the exit status."""
    from ruvex.desktop import demo_path

    return open_desktop(demo_path(), as_copy=True)
