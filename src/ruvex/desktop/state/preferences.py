"""What the desktop remembers between starts: recent plans and how it should look."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path
from typing import Any, Final

from ruvex.mishaps import make_private, state_folder
from ruvex.plan import PlanError, PlanFileError, parse_json, read_file, replace_file

_MOST_RECENT: Final = 8
_MOST_LOOKED_AT: Final = 50
_MOST_BYTES: Final = 4_000_000


class Preferences:
    """Remembered things, written at once; a lost or damaged file only means that nothing is remembered."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or state_folder()
        self._path = self.folder / "desktop.json"
        self._values: dict[str, Any] = {}
        with contextlib.suppress(PlanFileError, PlanError, UnicodeDecodeError):
            values = parse_json(read_file(self._path, _MOST_BYTES).decode("utf-8"), str(self._path))
            self._values = values if isinstance(values, dict) else {}

    @property
    def recent(self) -> list[Path]:
        """The plans opened last that still exist, the newest first."""
        names = self._values.get("recent", [])
        if not isinstance(names, list):
            return []
        return [Path(name) for name in names[:_MOST_LOOKED_AT] if isinstance(name, str) and _is_file(name)]

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

    def forget_layout(self) -> None:
        """Let the window look as on the first start: what is remembered of it cannot be used."""
        self._values.pop("layout", None)

    def _set(self, key: str, value: Any) -> None:
        self._values[key] = value
        # What cannot be remembered (a full disk, a read-only home) must not stand in the way of the work.
        with contextlib.suppress(OSError, ValueError):
            make_private(self._path.parent)
            replace_file(self._path, json.dumps(self._values, indent=2).encode("utf-8"), private=True)


def _is_file(name: str) -> bool:
    try:
        return Path(name).is_file()
    except (OSError, ValueError):
        return False
