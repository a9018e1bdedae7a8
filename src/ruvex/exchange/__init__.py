"""Other forms of a plan, in and out, and the series of a played one. No Qt."""

from ruvex.exchange._brought import Brought
from ruvex.exchange._cells import cells_of, cells_text
from ruvex.exchange._headings import COLUMNS, Column, Heading, headings_of
from ruvex.exchange._in_and_out import GROUPS, TABLE_SUFFIXES, give_out, read_brought, read_table_text
from ruvex.exchange._series import SERIES_SUFFIXES, write_series
from ruvex.exchange._table import Pasted, guests_from_cells, guests_from_table, table_of_guests
from ruvex.exchange._turns import TURNS_SUFFIXES, write_turns
from ruvex.exchange.groups import drop_ins, read_groups
from ruvex.exchange.ovf import SUFFIXES as OVF_SUFFIXES
from ruvex.exchange.ovf import read_ovf, write_ovf

__all__ = [
    "COLUMNS",
    "GROUPS",
    "OVF_SUFFIXES",
    "SERIES_SUFFIXES",
    "TABLE_SUFFIXES",
    "TURNS_SUFFIXES",
    "Brought",
    "Column",
    "Heading",
    "Pasted",
    "cells_of",
    "cells_text",
    "drop_ins",
    "give_out",
    "guests_from_cells",
    "guests_from_table",
    "headings_of",
    "read_brought",
    "read_groups",
    "read_ovf",
    "read_table_text",
    "table_of_guests",
    "write_ovf",
    "write_series",
    "write_turns",
]
