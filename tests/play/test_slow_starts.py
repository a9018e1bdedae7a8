"""Start storms against a slow and plain simulation, written from section 7 of the model: who starts when, who waits."""

from __future__ import annotations

from typing import Any, NamedTuple

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.play import Player
from ruvex.play.happenings import Boots, NotStarted
from ruvex.site import site_of
from tests.builders import HOST, plan_of
from tests.play.site import PlayCase, check
from tests.thorough import many

BOOT_S, END_S, HOST_MIB = 12, 160, 4000.0


class Wish(NamedTuple):
    """Somebody switches a guest on or off."""

    at: int
    is_on: bool
    guest: int


class SlowStorm:
    """A host of fixed guests: each needs its size, and nothing can be taken back from anybody."""

    def __init__(self, sizes: list[float], shares: list[float], wishes: list[Wish]) -> None:
        self.sizes, self.shares, self.wishes = sizes, shares, wishes
        self.began: dict[int, int] = {}
        self.queue: dict[int, bool] = {}
        self.told: list[tuple[int, str, int]] = []

    def boots(self, now: int) -> bool:
        """Tell whether somebody boots."""
        return any(now - began < BOOT_S for began in self.began.values())

    def play(self) -> list[tuple[int, str, int]]:
        """Give who starts and who is refused, by when."""
        for now in range(END_S):
            changed, new = False, []
            for wish in (wish for wish in self.wishes if wish.at == now):
                changed = self.hear(wish, now, new) or changed
            if changed:
                self.try_all(now, new)
        return self.told

    def hear(self, wish: Wish, now: int, new: list[int]) -> bool:
        """Take note of a wish; tells whether it changes anything."""
        if not wish.is_on:
            was = self.began.pop(wish.guest, None) is not None
            return self.queue.pop(wish.guest, None) is not None or was
        if wish.guest in self.began or wish.guest in self.queue:
            return False
        # Whoever is asked while others are starting waits; so do those asked for in one second.
        is_patient = bool(self.queue) or self.boots(now)
        for other in new:
            if other in self.queue:
                self.queue[other] = True
        self.queue[wish.guest] = is_patient
        # It may be switched on, off and on again in one second.
        if wish.guest not in new:
            new.append(wish.guest)
        return True

    def try_all(self, now: int, new: list[int]) -> None:
        """Start whom the memory suffices for: by shares, then in the order of the plan."""
        for guest in sorted(self.queue, key=lambda g: (-self.shares[g], g)):
            held = sum(self.sizes[other] for other in self.began)
            if held + self.sizes[guest] <= HOST_MIB:
                self.began[guest] = now
                del self.queue[guest]
                self.told.append((now, "start", guest))
        for guest in [guest for guest in new if not self.queue.get(guest, True)]:
            del self.queue[guest]
            self.told.append((now, "refused", guest))


@st.composite
def storms(draw: st.DrawFn) -> tuple[list[float], list[float], list[Wish]]:
    """Draw guests and when they are switched on and off."""
    count = draw(st.integers(2, 6))
    sizes = [draw(st.sampled_from([700.0, 1300.0, 2100.0, 3900.0])) for _ in range(count)]
    shares = [draw(st.sampled_from([70.0, 100.0, 190.0])) for _ in range(count)]
    wishes = draw(
        st.lists(st.builds(Wish, st.sampled_from([5, 9, 20, 60, 61, 90]), st.booleans(), st.integers(0, count - 1)),
                 min_size=2, max_size=12)
    )  # fmt: skip
    return sizes, shares, sorted(wishes, key=lambda wish: wish.at)


class Storms(PlayCase):
    """Many starts at once."""

    @given(storms())
    @settings(max_examples=many(150), deadline=None)
    def test_who_starts_when(self, storm: tuple[list[float], list[float], list[Wish]]) -> None:
        """Starts go by shares as far as memory reaches; who does not fit waits, but alone it is refused."""
        sizes, shares, wishes = storm
        guests: list[dict[str, Any]] = [
            {"id": f"g{i}", "host": "h", "power": "off", "vcpus": 1, "agent": False, "boot_s": BOOT_S,
             "memory": {"mode": "fixed", "size": size, "shares": share},
             "demand": {"cpu": 0, "working": 0, "touched": 0}}
            for i, (size, share) in enumerate(zip(sizes, shares, strict=True))
        ]  # fmt: skip
        events = [
            {"at": wish.at, "do": "power-on" if wish.is_on else "power-off", "target": f"g{wish.guest}"}
            for wish in wishes
        ]
        host = HOST | {"memory_mib": HOST_MIB}
        player = Player(site_of(plan_of(guests, host=host, events=events, moment=0, day_s=END_S), {}), watch=check)
        player.run()
        found = [
            (round(entry.at_s), entry.kind, int(entry.target[1:]))
            for entry in player.log
            if (entry.kind == "start" and isinstance(entry.what, Boots))
            or (entry.kind == "refused" and isinstance(entry.what, NotStarted))
        ]
        self.assertEqual(sorted(found), sorted(SlowStorm(sizes, shares, wishes).play()))
