"""Other forms of a plan, in and out. No Qt."""

from ruvex.exchange._table import Pasted, guests_from_table, table_of_guests

__all__ = ["Pasted", "guests_from_table", "table_of_guests"]
