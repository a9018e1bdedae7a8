"""Other forms of a plan, in and out, and the series of a played one. No Qt."""

from ruvex.exchange._brought import Brought, with_brought, with_happenings
from ruvex.exchange._in_and_out import GROUPS, TABLE_SUFFIXES, give_out, read_brought, read_table_text
from ruvex.exchange._series import SERIES_SUFFIXES, write_series
from ruvex.exchange._traces_in import with_traces
from ruvex.exchange._turns import TURNS_SUFFIXES, write_turns
from ruvex.exchange.groups import drop_ins, read_groups
from ruvex.exchange.ovf import SUFFIXES as OVF_SUFFIXES
from ruvex.exchange.ovf import read_ovf, write_ovf
from ruvex.exchange.tables import (
    COLUMNS,
    KIND_WORDS,
    TABLE_KINDS,
    Column,
    Heading,
    Kind,
    cells_of,
    cells_text,
    headings_of,
    kind_of,
    read_cells,
    read_table,
    table_of,
    table_of_guests,
)

__all__ = [
    "COLUMNS",
    "GROUPS",
    "KIND_WORDS",
    "OVF_SUFFIXES",
    "SERIES_SUFFIXES",
    "TABLE_KINDS",
    "TABLE_SUFFIXES",
    "TURNS_SUFFIXES",
    "Brought",
    "Column",
    "Heading",
    "Kind",
    "cells_of",
    "cells_text",
    "drop_ins",
    "give_out",
    "headings_of",
    "kind_of",
    "read_brought",
    "read_cells",
    "read_groups",
    "read_ovf",
    "read_table",
    "read_table_text",
    "table_of",
    "table_of_guests",
    "with_brought",
    "with_happenings",
    "with_traces",
    "write_ovf",
    "write_series",
    "write_turns",
]
