"""What everything in a plan that has a name has in common."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping, Sequence

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


class Labels(Mapping[str, str]):
    """What items are called, by id, without a table that every edit of a large plan would make anew.

    Parameters
    ----------
    groups
        Items, and what gives the position of each among them by id.
    """

    def __init__(self, *groups: tuple[Sequence[Item], Callable[[], Mapping[str, int]]]) -> None:
        self._groups = groups

    def __getitem__(self, item_id: str) -> str:
        for items, index in self._groups:
            at = index().get(item_id)
            if at is not None:
                return items[at].label
        raise KeyError(item_id)

    def __iter__(self) -> Iterator[str]:
        return itertools.chain.from_iterable(index() for _, index in self._groups)

    def __len__(self) -> int:
        return sum(len(items) for items, _ in self._groups)
