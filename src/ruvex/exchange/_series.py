"""The series of a played plan as a file: CSV in long form, or NumPy's NPZ."""

from __future__ import annotations

import csv
from pathlib import Path
from typing import Any, BinaryIO, Final

import numpy as np

from ruvex.divide import CAUSES
from ruvex.plan import PlanFileError, replacing
from ruvex.play import CHANNELS, CODES, FLOW_CHANNELS, FLOW_PLACE_CHANNELS, PHASES, PLACE_CHANNELS, PRESSURES, Recording

SERIES_SUFFIXES: Final = (".csv", ".npz")
_WORDS: Final = {"phase": PHASES, "cause": CAUSES, "pressure": PRESSURES}


def write_series(recording: Recording, path: Path) -> None:
    """Write the series of a played plan, to a temporary name that is then renamed.

    A CSV file has a header and then one line a time, thing and channel: ``time_s``, ``place`` (a host, ``host:bank``, a
    store, or ``host:link``), ``guest``, ``channel``, ``value``; one of the two is empty; phase, cause and pressure in
    words. Only lines whose value differs from the one before of the same thing and channel are written, and the first:
    a value holds until the next line of its own. An NPZ file has the arrays of ``Recording.arrays``.

    Raises
    ------
    PlanFileError
        The name ends in neither ``.csv`` nor ``.npz``, or the file cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in SERIES_SUFFIXES:
        raise PlanFileError(f"{path}: series go to a file ending in .csv or .npz")
    with replacing(path) as file:
        if suffix == ".npz":
            np.savez_compressed(file, **recording.arrays())  # type: ignore[arg-type]
        else:
            _write_csv(recording, file)


def _write_csv(recording: Recording, file: BinaryIO) -> None:
    times = [f"{time:.10g}" for time in recording.times_s[: recording.rows].tolist()]
    lines: list[tuple[int, int, tuple[str, str, str, str, str]]] = []
    for number, place in enumerate(recording.place_ids):
        for order, channel in enumerate(PLACE_CHANNELS):
            lines += _changes(times, (place, ""), channel, recording.of_places(channel)[number], number, order)
    first = len(recording.place_ids)
    for number, place in enumerate(recording.flow_ids, start=first):
        for order, channel in enumerate(FLOW_PLACE_CHANNELS):
            lines += _changes(times, (place, ""), channel, recording.of_flows(channel)[number - first], number, order)
    first += len(recording.flow_ids)
    further = FLOW_CHANNELS if recording.flow_ids else ()
    for number, guest in enumerate(recording.guest_ids):
        for order, channel in enumerate((*CHANNELS, *CODES, *further)):
            lines += _changes(times, ("", guest), channel, recording.series(channel)[number], first + number, order)
    lines.sort(key=lambda line: line[:2])
    text = _Encoder(file)
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("time_s", "place", "guest", "channel", "value"))
    writer.writerows(line[2] for line in lines)


def _changes(times: list[str], thing: tuple[str, str], channel: str, values: Any, number: int, order: int) -> Any:
    """Give the lines of one series: where it begins and where it changes."""
    rows = np.flatnonzero(np.concatenate(([True], values[1:] != values[:-1]))) if values.size else np.zeros(0, np.int64)
    words = _WORDS.get(channel)
    place = number * 100 + order
    for row, value in zip(rows.tolist(), values[rows].tolist(), strict=True):
        yield row, place, (times[row], *thing, channel, words[int(value)] if words else f"{value:.7g}")


class _Encoder:
    """Takes text and writes it as UTF-8."""

    def __init__(self, file: BinaryIO) -> None:
        self._file = file

    def write(self, text: str) -> int:
        """Write a piece of text."""
        return self._file.write(text.encode("utf-8"))
