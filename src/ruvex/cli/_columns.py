"""Names in columns, as wide as a terminal shows them."""

from __future__ import annotations

from rich.cells import cell_len, set_cell_size


def fitted(name: str, width: int) -> str:
    """Give a name so many cells of a terminal wide; one that is too long ends in dots."""
    if cell_len(name) > width:
        name = set_cell_size(name, width - 1).rstrip() + "…"
    return set_cell_size(name, width)
