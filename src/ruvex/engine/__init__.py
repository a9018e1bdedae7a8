"""The kernels: arrays in, arrays out. Numba is imported only when the first of them is asked for (``kernels``)."""

from ruvex.engine import kernels, rows
from ruvex.engine._cache import is_cache_filled, mark_cache_filled
from ruvex.engine._mode import work_plainly

__all__ = ["is_cache_filled", "kernels", "mark_cache_filled", "rows", "work_plainly"]
