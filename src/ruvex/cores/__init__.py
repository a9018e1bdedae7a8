"""vCPUs on the hardware threads of one host, turn by turn. NumPy, no Qt."""

from ruvex.cores._chance import ChanceGround, Waits, ground_of, waits_of, waits_on
from ruvex.cores._parties import Parties, parties_of
from ruvex.cores._prepare import prepare
from ruvex.cores._questions import (
    WINDOWS,
    Answer,
    RoomForMore,
    answer_of,
    changed,
    crowd_of,
    limited_answer,
    part_limit,
    vcpu_answers,
    vcpu_change,
    vcpu_choices,
)
from ruvex.cores._report import TurnReport, report_of
from ruvex.cores._trace import (
    ENDINGS,
    FELLOWS,
    MOST_S,
    NoCoresError,
    TurnFigures,
    TurnTrace,
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
    "ChanceGround",
    "NoCoresError",
    "Parties",
    "RoomForMore",
    "TurnFigures",
    "TurnReport",
    "TurnTrace",
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
