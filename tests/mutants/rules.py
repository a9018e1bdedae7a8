"""All rules that are broken, whatever they are of."""

from __future__ import annotations

from typing import Final

from tests.mutants import advice, division, playing, promises, turns

RULES: Final = (*division.RULES, *playing.RULES, *turns.RULES, *promises.RULES, *advice.RULES)
