"""Every action of the window, registered once: menus, shortcuts and tests read this table."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum


@dataclass(frozen=True)
class Spec:
    """What an action is called, its keys, and what it does in one sentence."""

    text: str
    keys: tuple[str, ...]
    hint: str


class ActionName(Enum):
    """The actions; each value says all about it but what it runs."""

    NEW = Spec("New plan", ("Ctrl+Alt+N",), "Start with an empty plan")
    OPEN = Spec("Open…", ("Ctrl+O",), "Open a plan file")
    DEMO = Spec("Demo plan", (), "Open the plan of an invented ferry company")
    SAVE = Spec("Save", ("Ctrl+S",), "Write the plan to its file")
    SAVE_AS = Spec("Save as…", ("Ctrl+Shift+S",), "Write the plan to another file, its traces with it")
    UNDO = Spec("Undo", ("Ctrl+Z",), "Take back the last change")
    REDO = Spec("Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "Make the change again that was taken back")
    FIND = Spec("Find…", ("Ctrl+K",), "Find a guest, a pool, a time or an action by typing")
    EARLIER = Spec("Five minutes earlier", ("[",), "Move the moment back by five minutes")
    LATER = Spec("Five minutes later", ("]",), "Move the moment on by five minutes")
    HOUR_EARLIER = Spec("One hour earlier", ("{", "Shift+["), "Move the moment back by an hour")
    HOUR_LATER = Spec("One hour later", ("}", "Shift+]"), "Move the moment on by an hour")
    FOLD_ALL = Spec("Fold all pools", ("Ctrl+Up",), "Show pools without their members")
    UNFOLD_ALL = Spec("Unfold all pools", ("Ctrl+Down",), "Show every member")
    DIVISION = Spec("Division", ("Ctrl+1",), "Go to the rows of the division")
    DIALS = Spec("Dials", ("F6",), "Show or fold away the dials")
    LOOK_DESKTOP = Spec("Colours of the desktop", (), "Light or dark as the desktop is")
    LOOK_LIGHT = Spec("Light", (), "Light colours")
    LOOK_DARK = Spec("Dark", (), "Dark colours")
    LARGER = Spec("Larger text", ("Ctrl++", "Ctrl+="), "Show everything larger")
    SMALLER = Spec("Smaller text", ("Ctrl+-",), "Show everything smaller")
    QUIT = Spec("Quit", ("Ctrl+Q",), "Close the window")
