"""The kernels, compiled: arrays in, arrays out. Numba is imported only when the first of them is asked for."""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows
from ruvex.engine._cache import is_cache_filled, mark_cache_filled
from ruvex.engine._mode import work_plainly

__all__ = ["is_cache_filled", "kernels", "mark_cache_filled", "rows", "work_plainly"]


def kernels() -> Any:
    """Give the module that holds all kernels; the first call imports Numba, unless they are to work plainly."""
    from ruvex.engine import _all

    return _all
