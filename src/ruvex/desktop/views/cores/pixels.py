"""Rows of turns and of waits as arrays of pixels: exact at every zoom, and as fast for a minute as for a turn."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

from ruvex.desktop.views.cores.strips import Stretches

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class BusyTime:
    """How much of any stretch of time a thread was busy with turns of each class, such as those of one hue.

    Attributes
    ----------
    classes
        The classes there are.
    """

    def __init__(self, begin: Floats, end: Floats, classes: Ints) -> None:
        # Busy time grows only within turns: it is known by its values at their ends.
        self._knots = np.stack((begin, end), axis=1).ravel()
        self._sums: dict[int, Floats] = {}
        for number in np.unique(classes).tolist():
            grown = np.cumsum(np.where(classes == number, end - begin, 0.0))
            self._sums[number] = np.stack((np.concatenate(([0.0], grown[:-1])), grown), axis=1).ravel()

    def parts(self, edges: Floats) -> Mapping[int, Floats]:
        """Give for each class which part of each stretch between neighbouring edges (ms) it was busy."""
        wide = np.maximum(np.diff(edges), 1e-12)
        if not self._knots.size:
            return {}
        found = {}
        first = int(np.searchsorted(self._knots, edges[0]))
        last = int(np.searchsorted(self._knots, edges[-1], side="right"))
        # Only what is in sight: a minute has a hundred thousand turns.
        near = slice(max(first - 1, 0), last + 1)
        for number, sums in self._sums.items():
            found[number] = np.diff(np.interp(edges, self._knots[near], sums[near])) / wide
        return found


def blended(parts: Mapping[int, Floats], colours: Mapping[int, QColor], ground: QColor, count: int) -> Floats:
    """Give the colour of each pixel, shape (pixels, 3), 0 to 255: of the ground and of what lies on it by its part."""
    base = np.array([ground.red(), ground.green(), ground.blue()], dtype=np.float64)
    found = np.broadcast_to(base, (count, 3)).copy()
    for number, part in parts.items():
        colour = colours[number]
        found += part[:, None] * (np.array([colour.red(), colour.green(), colour.blue()]) - base)
    return found


def image_of(rows: Floats, ratio: float) -> QImage:
    """Give a picture of colours, shape (height, width, 3), 0 to 255."""
    height, width, _ = rows.shape
    whole = np.clip(rows + 0.5, 0, 255).astype(np.uint32)
    pixels = 0xFF000000 | (whole[..., 0] << 16) | (whole[..., 1] << 8) | whole[..., 2]
    image = QImage(pixels.astype(np.uint32).tobytes(), width, height, 4 * width, QImage.Format.Format_RGB32).copy()
    image.setDevicePixelRatio(ratio)
    return image


def runs_of(seen: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Give from which pixel to before which each run of seen ones goes.

    Examples
    --------
    >>> runs_of(np.array([True, True, False, True]))
    [(0, 2), (3, 4)]
    """
    steps = np.diff(np.concatenate(([0], seen.astype(np.int8), [0])))
    return list(zip(np.flatnonzero(steps > 0).tolist(), np.flatnonzero(steps < 0).tolist(), strict=True))


def covered(stretches: Stretches, owner: int, edges: Floats) -> NDArray[np.bool_]:
    """Tell which stretches between neighbouring edges are touched by those of an owner, a hair's width at least."""
    low, high = int(stretches.first[owner]), int(stretches.first[owner + 1])
    count = edges.size - 1
    begin, end = stretches.begin[low:high], stretches.end[low:high]
    near = (end > edges[0]) & (begin < edges[-1]) & (end > begin)
    if not near.any():
        return np.zeros(count, dtype=np.bool_)
    first = np.clip(np.searchsorted(edges, begin[near], side="right") - 1, 0, count - 1)
    last = np.clip(np.searchsorted(edges, end[near], side="left"), 1, count)
    steps = np.zeros(count + 1, dtype=np.int64)
    np.add.at(steps, first, 1)
    np.add.at(steps, np.maximum(last, first + 1), -1)
    return np.asarray(np.cumsum(steps)[:count] > 0)
