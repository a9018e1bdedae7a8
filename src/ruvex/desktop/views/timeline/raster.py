"""Lanes as pictures: areas, textures and lines put into arrays of pixels at once, not point by point."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

Pixels = NDArray[np.uint32]
Values = NDArray[np.float32]
Bools = NDArray[np.bool_]

_TEXTURE: Final = 6
_DASH: Final = 6


class Canvas:
    """An array of pixels that is drawn on and then shown.

    Attributes
    ----------
    pixels
        Shape (height, width): 0xffRRGGBB.
    """

    def __init__(self, width: int, height: int, ground: QColor, ratio: float) -> None:
        self.pixels: Pixels = np.full((max(1, height), max(1, width)), ground.rgb(), dtype=np.uint32)
        self._ratio = ratio
        self._x, self._y = np.arange(self.pixels.shape[1]), np.arange(self.pixels.shape[0])

    def _heights(self, values: Values, top: float, low: int, high: int) -> NDArray[np.int64]:
        """Give the pixel row of each value between two rows, the higher one for ``top``."""
        part = np.clip(values / top, 0.0, 1.0) if top > 0 else np.zeros_like(values)
        return np.round(low - part * (low - high)).astype(np.int64)

    def area(
        self, below: Values, above: Values, top: float, low: int, high: int, colour: QColor, texture: str = ""
    ) -> None:
        """Fill between two curves.

        Parameters
        ----------
        below, above
            By column, from where to where, in the unit of ``top``.
        top, low, high
            The value at pixel row ``high``; 0 is at row ``low``.
        colour, texture
            How it is filled; a texture lets the ground show through.
        """
        count = below.size
        if not (above > below).any():
            return
        y = self._y[high : low + 1, None]
        from_row, to_row = self._heights(above, top, low, high), self._heights(below, top, low, high)
        inside = (y >= from_row) & (y < to_row)
        if texture:
            inside &= self._texture(texture)[high : low + 1, :count]
        self.pixels[high : low + 1, :count][inside] = colour.rgb()

    def line(
        self, values: Values, top: float, low: int, high: int, colour: QColor, *, shown: Bools | None = None
    ) -> None:
        """Draw a curve, its steps joined, one pixel wide; only where it is shown."""
        count = values.size
        if not count:
            return
        rows = self._heights(values, top, low, high)
        before = np.concatenate((rows[:1], rows[:-1]))
        y = self._y[high : low + 1, None]
        on = (y >= np.minimum(rows, before)) & (y <= np.maximum(rows, before))
        if shown is not None:
            on &= shown
        self.pixels[high : low + 1, :count][on] = colour.rgb()

    def _texture(self, kind: str) -> Bools:
        size = max(3, round(_TEXTURE * self._ratio))
        x, y = self._x[None, :] % size, self._y[:, None] % size
        thick = max(1, round(self._ratio))
        if kind == "balloon":
            middle, r = (size - 1) / 2, size / 3.4
            distance = (x - middle) ** 2 + (y - middle) ** 2
            return np.asarray((distance <= r * r) & (distance >= (r - thick) ** 2))
        if kind == "squeezed":
            return np.asarray((x % (size // 2) < thick) & (y >= 0))
        if kind == "spilled":
            return np.asarray((x % (size // 2) < thick) | (y % (size // 2) < thick))
        if kind == "bridged":
            return np.asarray((y % (size // 2) < thick) & (x >= 0))
        return np.asarray((x + y) % size < thick)

    def dashes(self, count: int) -> Bools:
        """Give for so many columns whether a dashed line shows there."""
        size = max(6, round(_DASH * self._ratio))
        return np.asarray(self._x[:count] % size < size * 0.6)

    def image(self) -> QImage:
        """Give the picture; it keeps the pixels."""
        height, width = self.pixels.shape
        image = QImage(self.pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_RGB32)
        image = image.copy()
        image.setDevicePixelRatio(self._ratio)
        return image
