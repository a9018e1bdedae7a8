"""The bars of the rows of a division, as rows and dials draw them."""

from __future__ import annotations

from ruvex.desktop.kit.bars import Bar
from ruvex.divide import Layers, Parts, ResourceDivision
from ruvex.ledger import LookFigures
from ruvex.plan import Resource


class Bars:
    """The bars of all rows of one resource, made one by one as they are asked for: few rows show at a time."""

    def __init__(self, parts: Parts, resource: ResourceDivision, layers: Layers | None = None) -> None:
        self._columns = (parts.promised, parts.won, parts.held, parts.lent, parts.unmet, resource.limit)
        self._cover = None if layers is None else layers.cover

    def __getitem__(self, row: int) -> Bar:
        """Give the bar of a row of the division."""
        promised, won, held, lent, unmet, limit = (float(column[row]) for column in self._columns)
        if self._cover is None or unmet <= 0:
            return Bar(promised, won, held, lent, unmet, limit)
        balloon, squeezed, spilled, paged = self._cover[:, row].tolist()
        return Bar(promised, won, held, lent, unmet, limit, (balloon, squeezed, spilled, paged))


def bars_of(figures: LookFigures, name: Resource) -> Bars:
    """Give the bars of ``cpu`` or ``memory`` of a look; those of memory know what covers the missing part."""
    division = figures.division
    return Bars(figures.parts(name), division.of(name), division.layers if name == "memory" else None)
