"""``ruvex schema``."""

from __future__ import annotations

from ruvex.cli._document import print_document
from ruvex.plan import plan_schema


def print_schema() -> int:
    """Print the JSON Schema of a plan file; gives the exit status."""
    print_document(plan_schema(), indent=2)
    return 0
