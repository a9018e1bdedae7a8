"""Many plays of one plan: settings swept over a range, and random days. No Qt."""

from ruvex.advise.many._chance import random_day
from ruvex.advise.many._cluster import ClusterError, on_cluster
from ruvex.advise.many._days import (
    FIGURES,
    Days,
    Risk,
    Runner,
    Source,
    compared,
    play_days,
    source_of,
    with_more_memory,
    with_one_more_host,
)
from ruvex.advise.many._here import HelperLostError, here
from ruvex.advise.many._sweep import (
    MOST,
    OUTCOMES,
    STEPS,
    STEPS_OF_TWO,
    Range,
    Sweep,
    Told,
    Watch,
    parse_range,
    parse_watch,
    range_of,
    sweep,
    watch_text,
)

__all__ = [
    "FIGURES",
    "MOST",
    "OUTCOMES",
    "STEPS",
    "STEPS_OF_TWO",
    "ClusterError",
    "Days",
    "HelperLostError",
    "Range",
    "Risk",
    "Runner",
    "Source",
    "Sweep",
    "Told",
    "Watch",
    "compared",
    "here",
    "on_cluster",
    "parse_range",
    "parse_watch",
    "play_days",
    "random_day",
    "range_of",
    "source_of",
    "sweep",
    "watch_text",
    "with_more_memory",
    "with_one_more_host",
]
