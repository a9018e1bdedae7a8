"""vCPUs on the hardware threads of one host, turn by turn. NumPy, no Qt."""

from ruvex.cores._chance import Ground, Waits, ground_of, waits_of, waits_on
from ruvex.cores._parties import Parties, parties_of
from ruvex.cores._prepare import prepare
from ruvex.cores._questions import (
    WINDOWS,
    Answer,
    Crowd,
    answer_of,
    changed,
    crowd_of,
    limited_answer,
    part_limit,
    vcpu_answers,
    vcpu_change,
    vcpu_choices,
)
from ruvex.cores._report import Report, report_of
from ruvex.cores._trace import (
    ENDINGS,
    FELLOWS,
    MOST_S,
    Figures,
    NoCoresError,
    Trace,
    median_of,
    nearest_rank,
    run_parties,
    trace,
)

__all__ = [
    "ENDINGS",
    "FELLOWS",
    "MOST_S",
    "WINDOWS",
    "Answer",
    "Crowd",
    "Figures",
    "Ground",
    "NoCoresError",
    "Parties",
    "Report",
    "Trace",
    "Waits",
    "answer_of",
    "changed",
    "crowd_of",
    "ground_of",
    "limited_answer",
    "median_of",
    "nearest_rank",
    "part_limit",
    "parties_of",
    "prepare",
    "report_of",
    "run_parties",
    "trace",
    "vcpu_answers",
    "vcpu_change",
    "vcpu_choices",
    "waits_of",
    "waits_on",
]
