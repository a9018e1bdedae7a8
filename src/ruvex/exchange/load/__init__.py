"""Measured load: series over days from CSV or OpenMetrics, made a typical day that guests follow."""

from ruvex.exchange.load._fill import (
    NEW,
    Choice,
    Filled,
    LoadRow,
    first_choice,
    labels_of,
    matched,
    rows_of,
    with_load,
    with_zone,
)
from ruvex.exchange.load._measured import Measured
from ruvex.exchange.load._read import LOAD_SUFFIXES, is_load, read_load
from ruvex.exchange.load._typical import DAYS, TypicalDay
from ruvex.exchange.load._units import FILLS, UNITS, Fill, likely_unit

__all__ = [
    "DAYS",
    "FILLS",
    "LOAD_SUFFIXES",
    "NEW",
    "UNITS",
    "Choice",
    "Fill",
    "Filled",
    "LoadRow",
    "Measured",
    "TypicalDay",
    "first_choice",
    "is_load",
    "labels_of",
    "likely_unit",
    "matched",
    "read_load",
    "rows_of",
    "with_load",
    "with_zone",
]
