"""``ruvex open`` and ``ruvex demo``."""

from __future__ import annotations

from pathlib import Path

from ruvex.plan import PlanFileError

_DEMO_NAME = "orrin-sound.ruvex.json"


def open_desktop(plan: Path | None) -> int:
    """Open the desktop and stay until it is closed; gives the exit status."""
    from ruvex.desktop import run_desktop

    return run_desktop(plan)


def open_demo() -> int:
    """Open the desktop with the demo plan; gives the exit status."""
    return open_desktop(demo_path())


def demo_path() -> Path:
    """Give the demo plan: beside the sources of a checkout, or as installed with the package.

    Raises
    ------
    PlanFileError
        It is in neither place.
    """
    package = Path(__file__).resolve().parents[1]
    for folder in (package.parents[1] / "demo", package / "demo"):
        if (folder / _DEMO_NAME).is_file():
            return folder / _DEMO_NAME
    raise PlanFileError(f"the demo plan {_DEMO_NAME} was not installed; run scripts/demo in a checkout of Ruvex")
