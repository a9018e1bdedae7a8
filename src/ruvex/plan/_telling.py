"""How long reading tells how far it is, and is stopped."""

from __future__ import annotations

from collections.abc import Callable

Tell = Callable[[str, float], None]
"""Called with what is being done, in words, and how much of that is done (0 to 1); raises ``StoppedError`` to stop."""


def untold(_what: str, _part: float) -> None:
    """Tell nobody."""
