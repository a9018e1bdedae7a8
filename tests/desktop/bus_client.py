"""Reads a program through the desktop's accessibility bus, as a screen reader does, and prints it as JSON.

Runs beside the window: the bus asks the window, and the window has to answer meanwhile.
"""

from __future__ import annotations

import json
import sys
from typing import Any

from jeepney import DBusAddress, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection

ACCESSIBLE = "org.a11y.atspi.Accessible"
VALUE = "org.a11y.atspi.Value"
TEXT = "org.a11y.atspi.Text"
PROPERTIES = "org.freedesktop.DBus.Properties"
ROOT = "/org/a11y/atspi/accessible/root"
STATES = {1: "active", 4: "checked", 8: "enabled", 11: "focusable", 12: "focused", 22: "selectable", 23: "selected",
          25: "showing", 30: "visible"}  # fmt: skip
UNSEEN = ("tree", "tree item", "table", "table cell", "list item")
"""What is told of though it is scrolled out of sight, or lies unseen under what is painted."""
MOST = 6000
MOST_CHILDREN = 120


class Bus:
    """A connection to the accessibility bus."""

    def __init__(self) -> None:
        session = open_dbus_connection(bus="SESSION")
        asked = new_method_call(DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus"), "GetAddress")
        address = session.send_and_get_reply(asked, timeout=10).body[0]
        self._bus: DBusConnection = open_dbus_connection(bus=address)

    def call(self, where: tuple[str, str], interface: str, method: str, *body: Any, signature: str = "") -> Any:
        """Call a method of an object; gives what it answers, None where it does not."""
        address = DBusAddress(where[1], where[0], interface)
        message = new_method_call(address, method, signature or None, body)
        reply = self._bus.send_and_get_reply(message, timeout=10)
        if reply.header.message_type.name == "error" or not reply.body:
            return None
        return reply.body[0]

    def get(self, where: tuple[str, str], interface: str, name: str) -> Any:
        """Give a property of an object."""
        found = self.call(where, PROPERTIES, "Get", interface, name, signature="ss")
        return None if found is None else found[1]

    def program(self, name: str) -> tuple[str, str] | None:
        """Give the root of a program."""
        for where in self.call(("org.a11y.atspi.Registry", ROOT), ACCESSIBLE, "GetChildren") or ():
            if self.get(tuple(where), ACCESSIBLE, "Name") == name:
                return (where[0], where[1])
        return None

    def node(self, where: tuple[str, str]) -> dict[str, Any]:
        """Give what an object tells of itself."""
        states = self.call(where, ACCESSIBLE, "GetState") or [0, 0]
        bits = states[0] | states[1] << 32
        interfaces = self.call(where, ACCESSIBLE, "GetInterfaces") or []
        found: dict[str, Any] = {
            "name": self.get(where, ACCESSIBLE, "Name"), "role": self.call(where, ACCESSIBLE, "GetRoleName"),
            "description": self.get(where, ACCESSIBLE, "Description"),
            "states": [word for bit, word in STATES.items() if bits >> bit & 1],
        }  # fmt: skip
        if VALUE in interfaces:
            found["value"] = self.get(where, VALUE, "CurrentValue")
        if TEXT in interfaces and found["role"] == "text":
            found["text"] = self.call(where, TEXT, "GetText", 0, -1, signature="ii")
        return found


def tree(bus: Bus, root: tuple[str, str]) -> list[dict[str, Any]]:
    """Give a program's objects that show, parents before their children; of long lists the first ones."""
    found: list[dict[str, Any]] = []
    to_do = [(root, 0)]
    while to_do and len(found) < MOST:
        where, depth = to_do.pop()
        node = bus.node(where)
        if depth > 1 and "showing" not in node["states"] and node["role"] not in UNSEEN:
            continue
        found.append(node | {"depth": depth})
        children = bus.call(where, ACCESSIBLE, "GetChildren") or []
        to_do += [((child[0], child[1]), depth + 1) for child in reversed(children[:MOST_CHILDREN])]
    return found


def main() -> None:
    """Print the objects of the program that is named."""
    bus = Bus()
    root = bus.program(sys.argv[1])
    json.dump([] if root is None else tree(bus, root), sys.stdout)


if __name__ == "__main__":
    main()
