"""What everything in a plan that has a name has in common."""

from __future__ import annotations

from ruvex.plan._direction import isolated
from ruvex.plan._fields import Id, Model, Text


class Item(Model):
    """What hosts, stores, pools and guests have in common: an id unique in the plan, and a name."""

    id: Id
    name: Text = ""

    @property
    def called(self) -> str:
        """What it is called, as it was written: the name, or the id where no name was given."""
        return self.name or self.id

    @property
    def label(self) -> str:
        """What people read of it in a sentence; nothing in it turns what stands around it."""
        return isolated(self.called) or self.id
