"""Tables of guests, pools, hosts, rules of placement and events: CSV (RFC 4180), or cells of a spreadsheet."""

from ruvex.exchange.tables._cells import MAX_ROWS, cells_of, cells_text
from ruvex.exchange.tables._columns import COLUMNS, KIND_WORDS, TABLE_KINDS, Column, Kind
from ruvex.exchange.tables._headings import Heading, headings_of, kind_of
from ruvex.exchange.tables._read import read_cells, read_table
from ruvex.exchange.tables._write import table_of, table_of_guests

__all__ = [
    "COLUMNS",
    "KIND_WORDS",
    "MAX_ROWS",
    "TABLE_KINDS",
    "Column",
    "Heading",
    "Kind",
    "cells_of",
    "cells_text",
    "headings_of",
    "kind_of",
    "read_cells",
    "read_table",
    "table_of",
    "table_of_guests",
]
