"""Damaged files: bytes changed, cut out or doubled, the same ones in every run."""

from __future__ import annotations

import random
from collections.abc import Iterator, Sequence
from typing import Final

from tests.thorough import many

DAMAGED: Final = many(10_000, 1_200)
"""How many files of each kind are damaged."""


def damaged(whole: Sequence[bytes], count: int) -> Iterator[bytes]:
    """Give so many damaged files made of some whole ones in turn."""
    chance = random.Random(20261127)
    for number in range(count):
        content = bytearray(whole[number % len(whole)])
        for _ in range(chance.randrange(1, 6)):
            at = chance.randrange(len(content))
            how = chance.randrange(3)
            if how == 0:
                content[at] = chance.randrange(256)
            elif how == 1:
                del content[at : at + chance.randrange(1, 80)]
            else:
                content[at:at] = content[at : at + chance.randrange(1, 300)]
            content = content or bytearray(b"x")
        yield bytes(content)
