"""Rows of turns and of waits as arrays of pixels: exact at every zoom, and as fast for a minute as for a turn."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
Pixels = NDArray[np.uint32]

_ALL = slice(None)


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


def blended(parts: Mapping[int, Floats], colours: Mapping[int, QColor], ground: QColor, count: int) -> Pixels:
    """Give the colour of each pixel of a row: of the ground and of what lies on it by its part."""
    base = np.array([[ground.red()], [ground.green()], [ground.blue()]], dtype=np.float64)
    found = np.broadcast_to(base, (3, count)).copy()
    for number, part in parts.items():
        colour = colours[number]
        found += part * (np.array([[colour.red()], [colour.green()], [colour.blue()]]) - base)
    whole = (np.clip(found, 0, 255) + 0.5).astype(np.uint32)
    return np.asarray(np.uint32(0xFF000000) | (whole[0] << 16) | (whole[1] << 8) | whole[2], dtype=np.uint32)


class Sheet:
    """Pixels that are filled in rows and then shown at once.

    Attributes
    ----------
    pixels
        Shape (height, width): 0xffRRGGBB.
    """

    def __init__(self, width: int, height: int, ground: QColor, ratio: float) -> None:
        self._ratio = ratio
        self.pixels: Pixels = np.full((max(height, 1), max(width, 1)), ground.rgb(), dtype=np.uint32)

    def row(self, y: float) -> int:
        """Give the row of pixels at a height, kept within."""
        return int(min(max(round(y * self._ratio), 0), self.pixels.shape[0]))

    def fill(self, top: float, bottom: float, row: Pixels | int, seen: Bools | slice = _ALL) -> None:
        """Fill some columns from one height to another, with one colour or each with its own."""
        self.pixels[self.row(top) : max(self.row(bottom), self.row(top) + 1), seen] = row

    def tint(self, left: float, right: float, colour: QColor) -> None:
        """Fill all of the height from one x to another."""
        columns = slice(max(round(left * self._ratio), 0), max(round(right * self._ratio), 0))
        self.pixels[:, columns] = colour.rgb()

    def image(self) -> QImage:
        """Give the picture; it looks at the pixels as long as this is kept."""
        height, width = self.pixels.shape
        # PyQt takes any buffer, which its annotations do not say.
        image: QImage = QImage(self.pixels.data, width, height, 4 * width, QImage.Format.Format_RGB32)  # type: ignore[call-overload]
        image.setDevicePixelRatio(self._ratio)
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


def covered(rows: Ints, begin: Floats, end: Floats, count: int, edges: Floats) -> Bools:
    """Tell which pixels stretches of time touch, a hair's width each at least.

    Parameters
    ----------
    rows, begin, end
        Of each stretch: its row of pixels, and its time, ms.
    count
        How many rows there are.
    edges
        The times between which each pixel of a row lies, evenly spaced.

    Returns
    -------
    Bools
        Shape (rows, pixels).
    """
    wide = edges.size - 1
    near = (end > edges[0]) & (begin < edges[-1]) & (end > begin)
    rows, begin, end = rows[near], begin[near], end[near]
    per_ms = wide / (edges[-1] - edges[0])
    first = np.clip(np.floor((begin - edges[0]) * per_ms).astype(np.int64), 0, wide - 1)
    last = np.clip(np.ceil((end - edges[0]) * per_ms).astype(np.int64), first + 1, wide)
    size = count * (wide + 1)
    steps = np.bincount(rows * (wide + 1) + first, minlength=size) - np.bincount(
        rows * (wide + 1) + last, minlength=size
    )
    return np.asarray(np.cumsum(steps.reshape(count, wide + 1), axis=1)[:, :wide] > 0)
