"""Ruvex: how a hypervisor divides CPU and memory among competing guests, seen before it happens.

For scripts: ``ruvex.read``, and what it gives can be divided and played; docs/python.md has it with examples.
"""

from __future__ import annotations

from typing import Any

__version__ = "0.1.0"
_FOR_SCRIPTS = ("DividedSite", "Figure", "NoPandasError", "PlannedSite", "Played", "RowFigures", "read")

__all__ = ["__version__", *_FOR_SCRIPTS]


def __getattr__(name: str) -> Any:
    """Give what scripts use once they ask for it: commands and the window need not wait for it."""
    if name in _FOR_SCRIPTS:
        import ruvex.interface

        return getattr(ruvex.interface, name)
    raise AttributeError(f"module 'ruvex' has no attribute {name!r}")
