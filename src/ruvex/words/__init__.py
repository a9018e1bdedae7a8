"""The sentences that window and commands both say: refusals, and what a day came to. No Qt."""

from ruvex.words._refusal import chain_lines, holders_text, obstacle_text, refusal_text
from ruvex.words._summary import SUMMARY_HEADINGS, guest_cells, short_span, summary_facts

__all__ = [
    "SUMMARY_HEADINGS",
    "chain_lines",
    "guest_cells",
    "holders_text",
    "obstacle_text",
    "refusal_text",
    "short_span",
    "summary_facts",
]
