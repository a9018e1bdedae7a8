"""What everything in a plan that has a name has in common."""

from __future__ import annotations

from ruvex.plan._fields import Id, Model, Text


class Item(Model):
    """What hosts, stores, pools and guests have in common: an id unique in the plan, and a name."""

    id: Id
    name: Text = ""

    @property
    def label(self) -> str:
        """The name people read: the name, or the id where no name was given."""
        return self.name or self.id
