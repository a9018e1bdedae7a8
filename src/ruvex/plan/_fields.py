"""Field types that several model classes share: numbers with bounds, ids, times."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer, Strict, WithJsonSchema

from ruvex.plan._errors import UnitError
from ruvex.plan._units import format_time, parse_time

# Far above any machine that exists, yet small enough that sums of a whole plan stay exact enough in float64.
MAX_MHZ = 1e9
MAX_MIB = 1e12
MAX_SHARES = 1e9
MAX_SECONDS = 366 * 86_400.0
# What is closer together than this is the same moment to people, and costs a play as much work as they like to write.
LEAST_SPACING_S = 0.001
MAX_SHARES_RATIO = 1e9
ID_PATTERN = r"^[a-z0-9][a-z0-9-]*$"
TEXT_PATTERN = r"^[^\x00-\x1f\x7f-\x9f]*$"


def _whole_as_int(value: float) -> float | int:
    return int(value) if value == int(value) else value


def _time_in(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError("write HH:MM, HH:MM:SS or seconds")
    try:
        return parse_time(value)
    except UnitError as error:
        raise ValueError(str(error)) from None


def _time_out(seconds: float) -> str | float:
    return format_time(seconds) if seconds == int(seconds) else seconds


def at_most(most: int) -> BeforeValidator:
    """Refuse a list of more entries before any of them is looked at: each may be a fault of its own."""

    def check(value: Any) -> Any:
        if isinstance(value, list | tuple | dict) and len(value) > most:
            raise ValueError(f"{len(value)} entries are too many; give at most {most}")
        return value

    return BeforeValidator(check)


Number = Annotated[float, Strict(), PlainSerializer(_whole_as_int, return_type=float | int)]
Whole = Annotated[int, Strict()]
# One line: a name with line breaks or escape codes would upset terminals and rows.
Text = Annotated[str, Strict(), Field(max_length=1000, pattern=TEXT_PATTERN)]
Flag = Annotated[bool, Strict()]
Id = Annotated[str, Strict(), Field(pattern=ID_PATTERN, max_length=200)]
Mhz = Annotated[Number, Field(ge=0, le=MAX_MHZ)]
Mib = Annotated[Number, Field(ge=0, le=MAX_MIB)]
MhzLimit = Annotated[Number, Field(gt=0, le=MAX_MHZ)]
MibLimit = Annotated[Number, Field(gt=0, le=MAX_MIB)]
Shares = Annotated[Number, Field(gt=0, le=MAX_SHARES)]
Percent = Annotated[Number, Field(ge=0, le=100)]
Rate = Annotated[Number, Field(gt=0, le=MAX_MIB)] | None
"""MiB a second; null is at once."""
Seconds = Annotated[Number, Field(ge=0, le=MAX_SECONDS)]
Time = Annotated[
    float,
    BeforeValidator(_time_in),
    Field(ge=0, le=MAX_SECONDS),
    PlainSerializer(_time_out, return_type=str | float),
    WithJsonSchema(
        {
            "anyOf": [
                {"type": "string", "pattern": r"^\d{1,4}:[0-5]\d(:[0-5]\d(\.\d+)?)?$"},
                {"type": "number", "minimum": 0},
            ]
        }
    ),
]


class Model(BaseModel):
    """Base of the model classes: immutable, and every unknown key is an error."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
