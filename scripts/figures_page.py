"""Writes docs/figures.md: every entry of the ledger, what it is, and which modules show it."""

from __future__ import annotations

import ast
import inspect
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from ruvex.divide import FlowPlace, HostFigures, Tap
from ruvex.ledger import ENTRIES, DayFigures, LookFigures, OwnersPart, PromiseFigures

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "ruvex"
PAGE = ROOT / "docs" / "figures.md"
CLASSES = {
    "LookFigures": "LookFigures", "DayFigures": "DayFigures", "TimeFigures": "DayFigures",
    "PromiseFigures": "PromiseFigures", "HostFigures": "HostFigures", "FlowPlace": "FlowPlace", "Tap": "Tap",
    "Owner": "Owner", "OwnersPart": "OwnersPart",
}  # fmt: skip
SHOWING = ("words", "advise", "report", "interface", "cli", "desktop")
_OF = {"cpu": "CPU", "memory": "memory", "store": "disks", "link": "network"}
_HEAD = """# The ledger: every figure, and where it stands

Made from the code by `scripts/pages`; a test holds it. The package `ledger` reads each figure off a division or a day
that was played, once; window, commands, report and scripts read it there. Of each figure there is a value by guest (in
plan order), by row (of a pool, the sum over its guests), by host, and of the site. Who lacks more than a thousandth of
what it wants is *short*. Where a dot stands, only the ledger itself, scripts or the template of the report read it.
"""


def first_sentence(of: object) -> str:
    """Give the first line of a docstring."""
    return (inspect.getdoc(of) or "").splitlines()[0]


def members_of(kind: type) -> Iterator[tuple[str, object]]:
    """Give what a class offers, in the order in which it is written."""
    members = {name: member for one in reversed(kind.__mro__[:-1]) for name, member in vars(one).items()}
    for name, member in members.items():
        found = getattr(member, "func", getattr(member, "fget", member))
        if not name.startswith("_") and inspect.isfunction(found):
            yield name, found


Known = dict[str, set[str]]
"""What names and attributes (with a dot before) of a module may hold, by the classes of the ledger."""


def kinds_of(of: ast.expr, known: Known) -> set[str]:
    """Tell which classes of the ledger an expression may be of, as far as it can be seen."""
    if isinstance(of, ast.Call) and isinstance(of.func, ast.Name) and of.func.id in CLASSES:
        return {CLASSES[of.func.id]}
    if isinstance(of, ast.Attribute):
        above = kinds_of(of.value, known)
        if of.attr == "promises" and "LookFigures" in above:
            return {"PromiseFigures"}
        if of.attr in ("cpu", "memory") and "Owner" in above:
            return {"OwnersPart"}
        return known.get(f".{of.attr}", set())
    if isinstance(of, ast.IfExp):
        return kinds_of(of.body, known) | kinds_of(of.orelse, known)
    return known.get(of.id, set()) if isinstance(of, ast.Name) else set()


def element_of(iterated: ast.expr) -> set[str]:
    """Tell of which classes what a loop goes over may be."""
    text = ast.unparse(iterated)
    ends = (r"\.taps\b", "Tap"), (r"flowing\.places\b|^places\b", "FlowPlace"), (r"\bowners\b", "Owner")
    return {kind for end, kind in ends if re.search(end, text)}


def attributes_of(kind: type) -> Iterator[tuple[str, str]]:
    """Give the attributes that a docstring lists, with what it says of them."""
    lines = (inspect.getdoc(kind) or "").partition("Attributes\n----------\n")[2].splitlines()
    names, said = "", list[str]()
    for line in [*lines, "end"]:
        if line.startswith(" "):
            said.append(line.strip())
        elif line.strip():
            if said:
                yield from ((name, " ".join(said)) for name in names.split(", "))
            names, said = line.partition(" : ")[0], []


def known_in(tree: ast.Module) -> Known:
    """Name what a module keeps figures in: variables, arguments and attributes, by the class of the ledger."""
    known: Known = {".figures": {"LookFigures"}, ".day_figures": {"DayFigures"}, ".by_host": {"HostFigures"}}

    def note(name: str, kinds: set[str]) -> None:
        if kinds:
            known.setdefault(name, set()).update(kinds)

    for node in ast.walk(tree):
        if isinstance(node, ast.arg) and node.annotation is not None:
            note(node.arg, named_in(node.annotation))
        if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Attribute):
            note(f".{node.target.attr}", named_in(node.annotation))
        if isinstance(node, ast.For | ast.comprehension) and isinstance(node.target, ast.Name):
            note(node.target.id, element_of(node.iter))
        pairs = []
        if (
            isinstance(node, ast.Assign)
            and isinstance(node.targets[0], ast.Tuple)
            and isinstance(node.value, ast.Tuple)
        ):
            pairs = list(zip(node.targets[0].elts, node.value.elts, strict=False))
        elif isinstance(node, ast.Assign):
            pairs = [(node.targets[0], node.value)]
        for target, value in pairs:
            if isinstance(target, ast.Name | ast.Attribute):
                note(target.id if isinstance(target, ast.Name) else f".{target.attr}", kinds_of(value, known))
    return known


def named_in(annotation: ast.expr) -> set[str]:
    """Give the classes of the ledger that an annotation names."""
    return {CLASSES[one.id] for one in ast.walk(annotation) if isinstance(one, ast.Name) and one.id in CLASSES}


def shown_in() -> dict[tuple[str, str], list[str]]:
    """Name the modules that read each figure, by its class and its name."""
    found: dict[tuple[str, str], list[str]] = {}
    for package in SHOWING:
        for path in sorted((SOURCE / package).rglob("*.py")):
            tree = ast.parse(path.read_text(encoding="utf-8"))
            known = known_in(tree)
            read = {
                (kind, node.attr)
                for node in ast.walk(tree)
                if isinstance(node, ast.Attribute)
                for kind in kinds_of(node.value, known)
            }
            for key in read:
                found.setdefault(key, []).append(str(path.relative_to(SOURCE).with_suffix("")))
    return found


def figures_page() -> str:
    """Give the page."""
    lines = [_HEAD, "## Of guests, at a look", "", "| figure | of | unit | is |", "|---|---|---|---|"]
    lines += [f"| {entry.name} | {_OF[entry.of]} | {entry.unit} | {entry.sentence} |" for entry in ENTRIES]
    shown = shown_in()
    for kind, title in (
        (LookFigures, "Asked of a look (`LookFigures`)"), (PromiseFigures, "Promises (`PromiseFigures`)"),
        (DayFigures, "Of a day (`DayFigures`), at each recorded time"),
    ):  # fmt: skip
        lines += ["", f"## {title}", "", "| name | is | read in |", "|---|---|---|"]
        for name, member in members_of(kind):
            lines.append(
                f"| `{name}` | {first_sentence(member)} | {', '.join(shown.get((kind.__name__, name), ['·']))} |"
            )
    for kind, title in (
        (HostFigures, "Of hosts and banks (`division.by_host`)"), (FlowPlace, "Of stores and links (`flowing.places`)"),
        (Tap, "Of a disk, or of a guest on links (`place.taps`)"), (OwnersPart, "Of owners, a resource (`owners_of`)"),
    ):  # fmt: skip
        lines += ["", f"## {title}", "", "| name | is | read in |", "|---|---|---|"]
        told = [*attributes_of(kind), *((name, first_sentence(member)) for name, member in members_of(kind))]
        for name, said in told:
            if name != "to_json":
                lines.append(f"| `{name}` | {said} | {', '.join(shown.get((kind.__name__, name), ['·']))} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(figures_page(), encoding="utf-8")
    sys.exit(0)
