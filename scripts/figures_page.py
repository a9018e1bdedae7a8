"""Writes docs/figures.md: every entry of the ledger, what it is, and which modules show it."""

from __future__ import annotations

import ast
import inspect
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from ruvex.ledger import ENTRIES, DayFigures, LookFigures, PromiseFigures

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "ruvex"
PAGE = ROOT / "docs" / "figures.md"
CLASSES = {
    "LookFigures": "LookFigures", "DayFigures": "DayFigures", "TimeFigures": "DayFigures",
    "PromiseFigures": "PromiseFigures",
}  # fmt: skip
SHOWING = ("words", "advise", "report", "interface", "cli", "desktop")
_OF = {"cpu": "CPU", "memory": "memory", "store": "disks", "link": "network"}
_HEAD = """# The ledger: every figure, and where it stands

Made from the code by `scripts/pages`; a test holds it. The package `ledger` reads each figure off a division or a day
that was played, once; window, commands, report and scripts read it there. Of each figure there is a value by guest (in
plan order), by row (of a pool, the sum over its guests), by host, and of the site. Who lacks more than a thousandth of
what it wants is *short*.
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


def kind_of(of: ast.expr, known: dict[str, str]) -> str:
    """Tell which class of the ledger an expression is of, as far as it can be seen; nothing where it is of none."""
    if isinstance(of, ast.Call) and isinstance(of.func, ast.Name) and of.func.id in CLASSES:
        return CLASSES[of.func.id]
    if isinstance(of, ast.Attribute):
        if of.attr == "promises" and kind_of(of.value, known) == "LookFigures":
            return "PromiseFigures"
        return known.get(f".{of.attr}", "")
    return known.get(of.id, "") if isinstance(of, ast.Name) else ""


def known_in(tree: ast.Module) -> dict[str, str]:
    """Name what a module keeps figures in: variables, arguments and attributes, by the class of the ledger."""
    known = {".figures": "LookFigures", ".day_figures": "DayFigures"}
    for node in ast.walk(tree):
        if isinstance(node, ast.arg) and isinstance(node.annotation, ast.Name) and node.annotation.id in CLASSES:
            known[node.arg] = CLASSES[node.annotation.id]
        if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Attribute):
            named = [one.id for one in ast.walk(node.annotation) if isinstance(one, ast.Name) and one.id in CLASSES]
            known |= {f".{node.target.attr}": CLASSES[one] for one in named}
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
            kind = kind_of(value, known)
            if kind and isinstance(target, ast.Name | ast.Attribute):
                known[target.id if isinstance(target, ast.Name) else f".{target.attr}"] = kind
    return known


def shown_in() -> dict[tuple[str, str], list[str]]:
    """Name the modules that read each figure, by its class and its name."""
    found: dict[tuple[str, str], list[str]] = {}
    for package in SHOWING:
        for path in sorted((SOURCE / package).rglob("*.py")):
            text = path.read_text(encoding="utf-8")
            if not re.search(r"ruvex\.ledger|(look|case)\.(day_)?figures", text):
                continue
            tree = ast.parse(text)
            known = known_in(tree)
            read = {
                (kind_of(node.value, known), node.attr) for node in ast.walk(tree) if isinstance(node, ast.Attribute)
            }
            for kind, name in read:
                if kind:
                    found.setdefault((kind, name), []).append(str(path.relative_to(SOURCE).with_suffix("")))
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
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    PAGE.write_text(figures_page(), encoding="utf-8")
    sys.exit(0)
