"""What the desktop remembers between starts: recent plans and how it should look."""

from __future__ import annotations

import contextlib
import json
import os
from pathlib import Path
from typing import Any, Final

import platformdirs

_MOST_RECENT: Final = 8
_FOLDER_VARIABLE: Final = "RUVEX_STATE_DIR"


def state_folder() -> Path:
    """Give the folder for remembered things; RUVEX_STATE_DIR names another one."""
    named = os.environ.get(_FOLDER_VARIABLE)
    return Path(named) if named else platformdirs.user_state_path("ruvex")


class Preferences:
    """Remembered things, written at once; a lost or damaged file only means that nothing is remembered."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or state_folder()
        self._path = self.folder / "desktop.json"
        self._values: dict[str, Any] = {}
        with contextlib.suppress(OSError, ValueError):
            values = json.loads(self._path.read_text(encoding="utf-8"))
            self._values = values if isinstance(values, dict) else {}

    @property
    def recent(self) -> list[Path]:
        """The plans opened last that still exist, the newest first."""
        names = self._values.get("recent", [])
        if not isinstance(names, list):
            return []
        return [Path(name) for name in names if isinstance(name, str) and Path(name).is_file()]

    def add_recent(self, path: Path) -> None:
        """Put a plan at the head of the recent ones."""
        names = [str(path.resolve()), *map(str, self.recent)]
        self._set("recent", list(dict.fromkeys(names))[:_MOST_RECENT])

    @property
    def theme_mode(self) -> str:
        """``desktop``, ``light`` or ``dark``."""
        mode = self._values.get("theme")
        return mode if mode in ("light", "dark", "contrast") else "desktop"

    @theme_mode.setter
    def theme_mode(self, mode: str) -> None:
        self._set("theme", mode)

    @property
    def text_scale(self) -> float:
        """Text size against the standard."""
        scale = self._values.get("text_scale")
        return float(scale) if isinstance(scale, int | float) and 0.5 <= scale <= 3 else 1.0

    @text_scale.setter
    def text_scale(self, scale: float) -> None:
        self._set("text_scale", scale)

    @property
    def layout(self) -> dict[str, Any]:
        """How the window was left: its place, what was folded, units, order, axis."""
        layout = self._values.get("layout")
        return layout if isinstance(layout, dict) else {}

    @layout.setter
    def layout(self, layout: dict[str, Any]) -> None:
        self._set("layout", layout)

    def _set(self, key: str, value: Any) -> None:
        self._values[key] = value
        # What cannot be remembered (a full disk, a read-only home) must not stand in the way of the work.
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            part = self._path.with_suffix(".part")
            part.write_text(json.dumps(self._values, indent=2), encoding="utf-8")
            part.replace(self._path)
