"""Side by side in words."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from ruvex.advise._beside import Beside, Change, GuestBeside, Part
from ruvex.divide import CONTENDED, CONTENDED_WORDS
from ruvex.plan import format_time
from ruvex.words import amount_text, first_names, short_span

_TITLES: Final[Mapping[Change, str]] = {
    "newly-short": "Newly short", "gets-less": "Get less", "gets-more": "Get more", "as-before": "As before",
}  # fmt: skip
_LEAST_PART: Final = 0.0005
_ARROW: Final = "\u2192"


def change_title(change: Change) -> str:
    """Give the head of a group of guests."""
    return _TITLES[change]


def short_names(found: Beside, most: int = 5) -> tuple[str, str]:
    """Name who is newly short, and who no longer is; nothing where nobody."""
    newly = [one.label for one in found.of("newly-short")]
    no_longer = [one.label for one in found.guests if one.no_longer_short]
    return first_names(newly, most), first_names(no_longer, most)


def amount_lines(one: GuestBeside, *, with_unchanged: bool = False) -> list[str]:
    """Say of each that a guest has what it was and is, and why it lacks; what is as before only where asked for."""
    lines = []
    for kind, (then, now) in zip(CONTENDED, (one.cpu, one.memory, one.disks, one.network), strict=True):
        is_other = abs(now.got - then.got) > 1e-6 or now.is_short != then.is_short
        if is_other or (with_unchanged and kind in ("cpu", "memory")):
            wanted = f" of {amount_text(now.wanted, kind)}" if now.is_short else ""
            cause = f", {now.cause}" if now.is_short and now.cause else ""
            amounts = f"{amount_text(then.got, kind)} {_ARROW} {amount_text(now.got, kind)}"
            lines.append(f"{CONTENDED_WORDS[kind]} {amounts}{wanted}{cause}")
    return lines


def flow_change_text(one: GuestBeside) -> str:
    """Say in a few words what changed for the disks of a guest, or its network; nothing where that is as before."""
    for kind, (then, now) in zip(CONTENDED[2:], (one.disks, one.network), strict=True):
        if abs(now.got - then.got) > _LEAST_PART * max(then.got, now.got):
            was, _, _ = amount_text(then.got, kind).rpartition(" ")
            return f"{CONTENDED_WORDS[kind]} {was} {_ARROW} {amount_text(now.got, kind)}"
    return ""


def days_text(one: GuestBeside) -> str:
    """Say what is other over the day of a guest: how long it is short, when it is done, how slow it goes."""
    if one.day is None:
        return ""
    then, now = one.day
    parts = []
    done_then = dict(then.finishes)
    for due, done in now.finishes:
        was = done_then.get(due)
        if due in done_then and _written(done) != _written(was):
            parts.append(f"done {_written(was)} {_ARROW} {_written(done)}")
    if abs(now.short_s - then.short_s) >= 60:
        parts.append(f"short {_span(then.short_s)} {_ARROW} {_span(now.short_s)}")
    if abs(now.worst_pace - then.worst_pace) >= 0.005:
        parts.append(f"worst pace {then.worst_pace:.2f} {_ARROW} {now.worst_pace:.2f}")
    if abs(now.wait - then.wait) >= 0.001:
        parts.append(f"waits {100 * then.wait:.1f} {_ARROW} {100 * now.wait:.1f} %")
    return ", ".join(parts)


def _span(seconds: float) -> str:
    return short_span(seconds) if seconds >= 0.5 else "0"


def _written(done: float | None) -> str:
    return "not at all" if done is None else format_time(round(done / 60) * 60)


def part_lines(found: Beside) -> list[str]:
    """Say of each pool and guest whose part of the site changed what it was and is, the largest change first."""

    def change(part: Part) -> float:
        return max(abs(part.cpu[1] - part.cpu[0]), abs(part.memory[1] - part.memory[0]))

    changed = sorted((part for part in found.parts if change(part) >= _LEAST_PART), key=lambda part: -change(part))
    return [f"{part.label[:28]:28} {_part(part.cpu)}   {_part(part.memory)}" for part in changed]


def _part(pair: tuple[float, float]) -> str:
    return f"{100 * pair[0]:5.1f} {_ARROW} {100 * pair[1]:5.1f}"
