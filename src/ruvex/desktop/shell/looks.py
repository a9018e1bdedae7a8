"""Light, dark or contrast, and the size of text: chosen in the window, and remembered."""

from __future__ import annotations

from typing import Final

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.preferences import Preferences

_SCALES: Final = (0.9, 1.0, 1.15, 1.3, 1.5, 1.75, 2.0)


class Looks:
    """Changes a theme, and remembers it.

    Parameters
    ----------
    theme, preferences
        What is changed, and where it is remembered.
    """

    def __init__(self, theme: Theme, preferences: Preferences) -> None:
        self._theme, self._preferences = theme, preferences

    def choose(self, mode: str) -> None:
        """Choose one of the looks by its name."""
        self._preferences.theme_mode = mode
        self._theme.set_mode(mode)

    def resize_text(self, steps: int) -> None:
        """Make text larger, or smaller by a negative number of steps."""
        nearest = min(range(len(_SCALES)), key=lambda i: abs(_SCALES[i] - self._theme.scale))
        scale = _SCALES[min(max(nearest + steps, 0), len(_SCALES) - 1)]
        self._preferences.text_scale = scale
        self._theme.set_scale(scale)
