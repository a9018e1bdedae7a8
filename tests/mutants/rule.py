"""What it takes to break a rule."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Rule:
    """One rule of the code, and how it is broken.

    Attributes
    ----------
    name
        The rule, in words: what stands in model.md, or what a reader of the code would take for granted.
    path
        Its module, below ``src/ruvex``.
    text, broken
        What it reads, which stands there once, and what it reads when it is broken.
    near
        The tests that ought to notice, quickest first: modules, classes or single tests, below ``tests``.
    """

    name: str
    path: str
    text: str
    broken: str
    near: tuple[str, ...]
