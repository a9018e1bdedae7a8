"""Figures by id, as people who write scripts read them: a mapping, an array, a table."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.plan import RuvexError


class NoPandasError(RuvexError):
    """A table was asked for, and pandas is not installed."""

    def __init__(self) -> None:
        super().__init__("a table needs one more package: pip install pandas")


@dataclass(frozen=True, slots=True)
class Figure:
    """What a guest or pool has of one thing: CPU in MHz, memory in MiB, disks in transfers a second, network in MiB/s.

    Attributes
    ----------
    id, kind, parent
        Which one, ``guest`` or ``pool``, and the id of the pool it is in.
    wanted, delivered, unmet, lacks
        What it would use, what it gets, what is missing of that, and what it lacks: of memory only what it needs.
    promised
        What it claims out of the promises above it.
    cause
        Why it lacks something; empty where it does not, and for pools.
    """

    id: str
    kind: str
    parent: str | None
    wanted: float
    delivered: float
    unmet: float
    lacks: float
    promised: float
    cause: str


class RowFigures(Mapping[str, Figure]):
    """The figures of one resource by id, in the order of the rows."""

    def __init__(self, figures: Mapping[str, Figure]) -> None:
        self._figures = dict(figures)

    def __getitem__(self, item: str) -> Figure:
        """Give the figures of a guest or pool."""
        return self._figures[item]

    def __iter__(self) -> Iterator[str]:
        """Go through the ids."""
        return iter(self._figures)

    def __len__(self) -> int:
        """Give how many there are."""
        return len(self._figures)

    def to_numpy(self) -> NDArray[Any]:
        """Give them as a structured array, a field an attribute."""
        names = [one.name for one in fields(Figure)]
        kinds = [(name, np.float64 if name in _NUMBERS else object) for name in names]
        rows = [tuple(getattr(one, name) for name in names) for one in self.values()]
        return np.array(rows, dtype=kinds)

    def to_pandas(self) -> Any:
        """Give them as a table of pandas, a row an id.

        Raises
        ------
        NoPandasError
            It is not installed.
        """
        names = [one.name for one in fields(Figure) if one.name != "id"]
        return frame({name: [getattr(one, name) for one in self.values()] for name in names}, list(self))


_NUMBERS = ("wanted", "delivered", "unmet", "lacks", "promised")


def frame(columns: Mapping[str, Any], index: Any) -> Any:
    """Give a table of pandas; raises ``NoPandasError`` where that is not installed."""
    try:
        import pandas
    except ImportError:
        raise NoPandasError from None
    return pandas.DataFrame(columns, index=index)
