"""The sentences that window and commands both say: refusals, what happened, what a day came to. No Qt."""

from ruvex.words._flows import amount_text, flow_amount, flow_lines, slowed_text, taken_text
from ruvex.words._log import entry_text, why_text
from ruvex.words._lost import reserve_text, stays_off_text
from ruvex.words._places import hours_text, payers_text, places_text, step_text
from ruvex.words._refusal import chain_lines, holders_text, obstacle_text, refusal_text, shortage_text
from ruvex.words._settings import change_text, counted, first_names, label_of, setting_text, span
from ruvex.words._summary import SUMMARY_HEADINGS, guest_cells, short_span, summary_facts

__all__ = [
    "SUMMARY_HEADINGS",
    "amount_text",
    "chain_lines",
    "change_text",
    "counted",
    "entry_text",
    "first_names",
    "flow_amount",
    "flow_lines",
    "guest_cells",
    "holders_text",
    "hours_text",
    "label_of",
    "obstacle_text",
    "payers_text",
    "places_text",
    "refusal_text",
    "reserve_text",
    "setting_text",
    "short_span",
    "shortage_text",
    "slowed_text",
    "span",
    "stays_off_text",
    "step_text",
    "summary_facts",
    "taken_text",
    "why_text",
]
