"""Which spill volume a guest of a bank is given."""

from __future__ import annotations

import unittest

from ruvex.site import Taken, find_volume
from tests.builders import HOST, cpu_guest, plan_of

BANK = {
    "size_mib": 9000, "max_mib": 9000,
    "spill_volumes": [{"id": "large", "mib": 9000}, {"id": "fits", "mib": 3000}, {"id": "small", "mib": 2999}],
}  # fmt: skip


def found(owners: dict[tuple[str, str], str] | None = None, **memory: object) -> str:
    """Name the volume that a guest of 4000 MiB is given that is promised 1000, or say why there is none."""
    thin = {"mode": "thin", "size": 4000, "reservation": 1000, "bank": True}
    plan = plan_of([cpu_guest("a", 0) | {"memory": thin | memory, "power": "off"}], host=HOST | {"bank": BANK})
    bank = plan.hosts[0].bank
    assert bank is not None
    taken = find_volume("h", bank, plan.guests[0], owners or {})
    return taken.volume.id if isinstance(taken, Taken) else taken


class Volumes(unittest.TestCase):
    """A guest needs size less reservation."""

    def test_the_smallest_that_fits(self) -> None:
        """3000 MiB are needed: 2999 are too few, and 9000 are for others."""
        self.assertEqual(found(), "fits")
        self.assertEqual(found(reservation=1001), "small")
        self.assertEqual(found(reservation=999), "large")

    def test_who_has_one_keeps_it(self) -> None:
        """Although a smaller one is free by now; what others have is not free."""
        self.assertEqual(found({("h", "large"): "a"}), "large")
        self.assertEqual(found({("h", "fits"): "b"}), "large")

    def test_one_that_is_named_is_the_only_one(self) -> None:
        """Whatever else is free."""
        self.assertEqual(found(spill_volume="large"), "large")
        self.assertIn("(fits is named)", found({("h", "fits"): "b"}, spill_volume="fits"))
