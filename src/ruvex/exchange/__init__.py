"""Other forms of a plan, in and out, and the series of a played one. No Qt."""

from ruvex.exchange._series import SERIES_SUFFIXES, write_series
from ruvex.exchange._table import Pasted, cells_text, guests_from_table, table_of_guests

__all__ = ["SERIES_SUFFIXES", "Pasted", "cells_text", "guests_from_table", "table_of_guests", "write_series"]
