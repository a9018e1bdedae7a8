"""Every action of the window, registered once: menus, shortcuts, the sheet of keys and tests read this table."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum


@dataclass(frozen=True)
class Spec:
    """What an action is called, its keys, what it does in one sentence, and whether its keys count only in the rows."""

    text: str
    keys: tuple[str, ...]
    hint: str
    in_rows: bool = False


class ActionName(Enum):
    """The actions; each value says all about it but what it runs."""

    NEW = Spec("New plan", ("Ctrl+Alt+N",), "Start with an empty plan")
    OPEN = Spec("Open…", ("Ctrl+O",), "Open a plan file")
    DEMO = Spec("Demo plan", ("Ctrl+Alt+D",), "Open the plan of an invented ferry company")
    SAVE = Spec("Save", ("Ctrl+S",), "Write the plan to its file")
    SAVE_AS = Spec("Save as…", ("Ctrl+Shift+S",), "Write the plan to another file, its traces with it")
    BRING = Spec("Bring in…", ("Ctrl+I",), "Add what an OVF envelope, a table or measured load has to the plan")
    BRING_HERE = Spec("Bring in this machine", ("Ctrl+Shift+I",), "Add what runs on this Linux host, by control group")
    GIVE = Spec("Give out…", ("Ctrl+Shift+G",), "Write the plan as an OVF envelope, tables, or units of systemd")
    REPORT = Spec("Report…", ("Ctrl+Shift+R",), "Write what each owner has as a page that stands alone, or as PDF")
    COPY_CHART = Spec("Copy as a picture", ("Ctrl+Shift+C",), "Copy the chart under the pointer as PNG and SVG")
    HAND_OVER = Spec("Hand over…", ("Ctrl+Shift+O",), "Give the selected pool to its owner as a plan of its own")
    TAKE_BACK = Spec("Take back…", ("Ctrl+Shift+B",), "Take a pool back that was handed over")
    UNDO = Spec("Undo", ("Ctrl+Z",), "Take back the last change")
    REDO = Spec("Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "Make the change again that was taken back")
    FIND = Spec("Find…", ("Ctrl+K",), "Find a guest, a pool, a time or an action by typing")
    NEW_GUEST = Spec("New guest", ("Ctrl+N",), "Add a guest where the selection is")
    NEW_POOL = Spec("New pool", ("Ctrl+Shift+N",), "Add a pool where the selection is")
    NEW_HOST = Spec("New host", ("Ctrl+Alt+H",), "Add a host and set it up")
    POWER = Spec("Power on or off", ("Space",), "Power the selected guests on, or off when all of them are on", True)
    RENAME = Spec("Rename", ("F2",), "Type another name for the row", True)
    DUPLICATE = Spec("Duplicate", ("Ctrl+D",), "Copy the selected rows in their place, pools with all in them")
    DELETE = Spec("Delete", ("Del",), "Remove the selected rows; what a removed pool held moves up", True)
    MOVE = Spec("Move to…", ("M",), "Move the selected rows into a pool, or to a host, that is found by typing", True)
    UPWARD = Spec("Shift up", ("Alt+Up",), "Let the row change places with the one above among its peers", True)
    DOWNWARD = Spec("Shift down", ("Alt+Down",), "Let the row change places with the one below among its peers", True)
    COPY = Spec("Copy for a spreadsheet", ("Ctrl+C",), "Copy the selected guests as cells, tab-separated", True)
    PASTE = Spec("Paste guests", ("Ctrl+V",), "Add guests from cells with a header row")
    SELECT_ALL = Spec("Select all rows", ("Ctrl+A",), "Select every row that shows", True)
    SETTINGS = Spec("All settings", ("F4",), "All settings of the selected guest or pool, at the side")
    PLAN = Spec("Plan and hosts", ("Ctrl+Shift+H",), "Name the plan and set up its hosts")
    STORES = Spec("Stores", ("Ctrl+Alt+S",), "Set up the stores that guests have disks on")
    RULES = Spec("Rules of this site", ("Ctrl+R",), "How the hypervisor divides, and what a change of a rule does")
    SPLIT = Spec("Split among pools", ("Ctrl+Shift+P",), "Give what can be promised to pools by percentages")
    EARLIER = Spec("Five minutes earlier", ("[",), "Move the moment back by five minutes")
    LATER = Spec("Five minutes later", ("]",), "Move the moment on by five minutes")
    HOUR_EARLIER = Spec("One hour earlier", ("{",), "Move the moment back by an hour")
    HOUR_LATER = Spec("One hour later", ("}",), "Move the moment on by an hour")
    SETTLED = Spec("Settled or played", ("L",), "Show what would settle at this time, or what the day has then")
    FILTER = Spec("Show only…", ("/", "Ctrl+F"), "Show only rows with some words in their name or tags")
    ORDER = Spec("Next order of the rows", ("S",), "In plan order, worst hit first, or by name; pools keep their own")
    AXIS = Spec("Next axis", ("A",), "One axis for all bars, the same held while time goes on, or each its own want")
    BY_HOST = Spec("By pool or by host", ("H",), "Show the pool tree as one, or host by host with what lives there")
    CPU_UNIT = Spec("Next unit of CPU", ("U",), "GHz, % of the host, % of the guest's own vCPUs, cores")
    MEMORY_UNIT = Spec("Next unit of memory", ("Shift+U",), "GiB or % of the host")
    FOLD_ALL = Spec("Fold all pools", ("Ctrl+Up",), "Show pools without their members")
    UNFOLD_ALL = Spec("Unfold all pools", ("Ctrl+Down",), "Show every member")
    PLAY = Spec("Play", ("P",), "Play the plan over its day, or pause it")
    PLAY_STEP = Spec("Step", (".",), "Play on by one recorded row, and stand still")
    REPLAY = Spec("From the start", ("Shift+P",), "Play the plan from the start of its day, as it is now")
    NEXT_TIME = Spec("Next event", ("J",), "Go to where a shortfall begins, a pressure changes or something is refused")
    RESTART = Spec("Restart", ("Shift+R",), "Restart the selected guests in the play")
    SURGE = Spec("Surge", ("Shift+D",), "Double the demand of what is selected for ten minutes, in the play")
    EVENTS = Spec("Events", ("Ctrl+Shift+E",), "The events of the plan: add, change, move, remove")
    LOG = Spec("Log", ("Ctrl+L",), "What happened while the day was played; a click goes there")
    TURNS = Spec("Core by core here", ("Ctrl+T",), "Show who runs on which thread at this time, turn by turn")
    PROOF = Spec("Proof on this machine…", ("Ctrl+Shift+T",), "Put weights and limits to this machine's own kernel")
    SUMMARY = Spec("Day's summary", ("Ctrl+Shift+D",), "What the day came to, guest by guest; to copy or save")
    EMPTY_HOST = Spec("Empty the host\u2026", ("Ctrl+Shift+M",), "Find other hosts for all guests of the selected host")
    PLACEMENT = Spec("Placement rules", ("Ctrl+Alt+P",), "Which guests are kept together, apart, or on some hosts")
    KEEP_EVENTS = Spec("Keep events", ("Ctrl+E",), "Write what was done while playing into the plan's events")
    DIALS = Spec("Dials", ("F6",), "Show the dials whole, or fold them to one line")
    WHY = Spec("Why", ("F7",), "Show what a figure is made of, who has the rest, what would help")
    KEYS = Spec("Keys", ("F1",), "Show all keys")
    LOOK_DESKTOP = Spec("Colours of the desktop", ("Ctrl+Alt+0",), "Light or dark as the desktop is")
    LOOK_LIGHT = Spec("Light", ("Ctrl+Alt+1",), "Light colours")
    LOOK_DARK = Spec("Dark", ("Ctrl+Alt+2",), "Dark colours")
    LOOK_CONTRAST = Spec("High contrast", ("Ctrl+Alt+3",), "Black on white, with strong lines")
    LARGER = Spec("Larger text", ("Ctrl++", "Ctrl+="), "Show everything larger")
    SMALLER = Spec("Smaller text", ("Ctrl+-",), "Show everything smaller")
    QUIT = Spec("Quit", ("Ctrl+Q",), "Close the window")
