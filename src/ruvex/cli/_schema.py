"""``ruvex schema``."""

from __future__ import annotations

import json

from ruvex.plan import plan_schema


def print_schema() -> int:
    """Print the JSON Schema of a plan file; gives the exit status."""
    print(json.dumps(plan_schema(), indent=2, ensure_ascii=False))
    return 0
