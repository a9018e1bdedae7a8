"""What a person does with the selected rows: make, copy, paste, rename, move, power, delete."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.moving import guests_meant, guests_on, move_step
from ruvex.desktop.state.steps import Step, settings_step
from ruvex.exchange import (
    FILLS,
    Brought,
    Choice,
    LoadRow,
    TakenBack,
    cells_of,
    headings_of,
    kind_of,
    read_table,
    table_of_guests,
    with_brought,
    with_happenings,
    with_load,
)
from ruvex.plan import (
    EditError,
    Guest,
    Host,
    Namer,
    Plan,
    PlanError,
    Pool,
    Store,
    add_items,
    change_many,
    copies_of,
    find_item,
    move_items,
    pools_above,
    remove_items,
    rename_plan,
    shift_item,
)
from ruvex.promise import Waiting, admit_in_order, in_starting_order
from ruvex.words import refusal_text

_MOST_NAMED: Final = 4


class Editor(QObject):
    """Edits of the selection, each one undo entry.

    Signals
    -------
    told(text)
        Something is to be known that a row does not show, such as who would wait.
    table_offered(cells, source)
        Cells of a table whose columns are to be assigned, and its file; None for the clipboard.
    host_busy(host, text)
        A host cannot go because of who is on it.
    naming(item_id)
        Something new stands there and may be given a name.
    """

    told = pyqtSignal(str)
    naming = pyqtSignal(str)
    table_offered = pyqtSignal(object, object)
    host_busy = pyqtSignal(str, str)

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk

    # Making

    def new_guest(self) -> None:
        """Add a guest with plain settings beside what is selected, or in the selected pool."""
        namer = Namer(self._desk.document.plan)
        name = namer.name_like("guest-1")
        guest = Guest(id=namer.id_for(name, "guest"), name=name, pool=self._here(), host=self._host())
        if self._add([guest], f"new guest {name}"):
            self.naming.emit(guest.id)

    def new_pool(self) -> None:
        """Add an empty pool in the selected pool, or beside the selected guest."""
        namer = Namer(self._desk.document.plan)
        name = namer.name_like("Pool 1")
        pool = Pool(id=namer.id_for(name, "pool"), name=name, parent=self._here())
        if self._add([pool], f"new pool {name}"):
            self.naming.emit(pool.id)

    def new_host(self) -> str | None:
        """Add a host with plain settings; gives its id."""
        namer = Namer(self._desk.document.plan)
        name = namer.name_like("host-1")
        host = Host(id=namer.id_for(name, "host"), name=name)
        is_made = self._make(Step(f"new host {name}", lambda plan: add_items(plan, [host]), (host.id,)))
        return host.id if is_made else None

    def new_store(self) -> str | None:
        """Add a store with plain settings; gives its id."""
        namer = Namer(self._desk.document.plan)
        name = namer.name_like("store-1")
        store = Store(id=namer.id_for(name, "store"), name=name)
        is_made = self._make(Step(f"new store {name}", lambda plan: add_items(plan, [store]), (store.id,)))
        return store.id if is_made else None

    def delete_store(self, store: str) -> None:
        """Remove a store and the disks on it."""
        self._make(Step(f"delete {self._named([store])}", lambda plan: remove_items(plan, [store]), (store,)))

    def duplicate(self) -> None:
        """Copy what is selected, pools with all in them."""
        copies = copies_of(self._desk.document.plan, self._desk.selection.ids)
        if copies:
            self._add(copies, f"duplicate {self._named(self._desk.selection.ids)}")

    def _here(self) -> str | None:
        """Give the pool something new belongs to."""
        item = self._desk.selection.item
        if isinstance(item, Pool):
            return item.id
        return item.pool if isinstance(item, Guest) else None

    def _host(self) -> str | None:
        item, hosts = self._desk.selection.item, self._desk.document.plan.hosts
        if isinstance(item, Guest):
            return item.host
        return hosts[0].id if len(hosts) > 1 else None

    def _add(
        self,
        items: Sequence[Host | Store | Pool | Guest],
        text: str,
        note: str = "",
        further: Callable[[Plan], Plan] = lambda plan: plan,
    ) -> bool:
        """Add items, and do what is to be done further in the same step; tells whether it was accepted.

        Guests that find no promise are added powered off, and that is told.
        """
        base = self._desk.document.plan
        off = [i.model_copy(update={"power": "off"}) if isinstance(i, Guest) else i for i in items]
        wishing = [item.id for item in items if isinstance(item, Guest) and item.is_powered]
        try:
            site = self._desk.document.site.with_plan(further(add_items(base, off)))
        except EditError as error:
            self.told.emit(f"Not done: {text}.\n{error}")
            return False
        admitted, waiting = admit_in_order(site, in_starting_order(site, wishing))
        starting = set(admitted)
        final = [item if item.id in starting else off[i] for i, item in enumerate(items)]
        ids = tuple(item.id for item in final)
        step = Step(text, lambda plan: further(add_items(plan, final)), ids, tuple(admitted))
        if not self._make(step):
            return False
        rows = [item for item in items if not isinstance(item, Host | Store)]
        tops = [item.id for item in rows if (item.parent if isinstance(item, Pool) else item.pool) not in ids]
        if tops:
            self._desk.selection.select_many(tops, tops[-1])
        lines = [note] if note else []
        lines += self._waiting_lines(site.plan, waiting, "was added powered off", "were added powered off")
        if lines:
            self.told.emit("\n".join(lines))
        return True

    # The clipboard

    def copy(self) -> None:
        """Put the selected guests on the clipboard as a block of cells."""
        clipboard = QApplication.clipboard()
        if clipboard is not None and self._desk.selection.ids:
            clipboard.setText(table_of_guests(self._desk.document.plan, self._desk.selection.ids))

    def paste(self) -> None:
        """Add the guests of a block of cells on the clipboard; guests that name no pool go where new ones go."""
        clipboard = QApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        try:
            cells = cells_of(text)
            headings = headings_of(cells[0], kind_of(cells[0]))
            if len(cells) > 1 and any(h.setting is None and h.text for h in headings):
                # Somebody has to say what the others are; where the headings are all known there is nothing to ask.
                self.table_offered.emit(cells, None)
                return
            found = read_table(text, self._desk.document.plan)
        except PlanError as error:
            lines = ["Nothing was pasted.", *(str(problem) for problem in error.problems)]
            self.told.emit("\n".join(lines))
            return
        self.paste_in(found)

    def paste_in(self, found: Brought) -> bool:
        """Add what was on the clipboard; guests and pools that lie nowhere go where new ones go."""
        here, host = self._here(), None if found.hosts else self._host()
        guests = [
            guest.model_copy(update={"pool": guest.pool or here, "host": guest.host or host}) for guest in found.guests
        ]
        pools = [pool.model_copy(update={"parent": pool.parent or here}) for pool in found.pools]
        what = guests[0].label if len(guests) == 1 else found.counted
        items: list[Host | Pool | Guest] = [*found.hosts, *pools, *guests]
        return self._add(items, f"paste {what}", _told(found), lambda plan: with_happenings(plan, found))

    def bring(self, found: Brought, source: str) -> bool:
        """Add what a file or a running host brings; tells whether it was accepted."""
        host = None if found.hosts else self._host()
        guests = tuple(guest.model_copy(update={"host": guest.host or host}) for guest in found.guests)
        found = replace(found, guests=guests)
        note = "\n".join(filter(None, [f"{source}: {found.counted} came in.", _told(found)]))
        document = self._desk.document
        plan = document.plan
        if plan.hosts or plan.pools or plan.guests:
            document.know_traces(found.traces)
            return self._add(found.items, f"bring {source} in", note, lambda plan: with_happenings(plan, found))
        # Into an empty plan it comes as it is, as on opening: without a host no promise could be kept, and hosts come
        # from elsewhere.
        file = replace(document.file, plan=with_brought(plan, found), traces=found.traces)
        document.show_file(file, document.path, is_saved=False)
        self.told.emit(note)
        return True

    def follow(self, choice: Choice, rows: Sequence[LoadRow], whose: Mapping[str, str | None], source: str) -> bool:
        """Let guests follow what was measured; tells whether it was accepted."""
        document = self._desk.document
        try:
            filled = with_load(document.plan, document.site.traces, choice, rows, whose, source)
        except EditError as error:
            self.told.emit(f"Nothing was taken.\n{error}")
            return False
        before, text = document.site.traces, f"take {FILLS[choice.fill]} of {source}"
        document.know_traces(filled.traces)
        if not document.plan.hosts:
            # As with what is brought: without a host no promise could be kept.
            document.make(text, document.site.with_plan(filled.plan))
        elif not self._make(
            Step(text, lambda plan: with_load(plan, before, choice, rows, whose, source).plan, filled.changed)
        ):
            return False
        self.told.emit("\n".join(filled.told))
        return True

    def take_back(self, taken: TakenBack, source: str) -> bool:
        """Take what the owner of a pool made of it; tells whether it was accepted."""
        self._desk.document.know_traces(taken.traces)
        return self._make(Step(f"take {source} back", lambda _plan: taken.plan, taken.changed, taken.started))

    # Changing

    def rename(self, item_id: str, name: str) -> None:
        """Give an item another name; its id stays."""
        item = find_item(self._desk.document.plan, item_id)
        if isinstance(item, Host | Store | Pool | Guest) and item.called != name:
            self._make(settings_step(f"rename {item.label} to {name}", [(item_id, {"name": name})]))

    def rename_plan(self, name: str) -> None:
        """Give the plan another name."""
        if name != self._desk.document.plan.name:
            self._make(Step(f"call the plan {name}", lambda plan: rename_plan(plan, name), ()))
            self._desk.document.named.emit()

    def delete(self) -> None:
        """Remove what is selected, a host too; what a removed pool held moves up."""
        if self._desk.selection.host is not None:
            self.delete_host(self._desk.selection.host.id)
            return
        ids = self._desk.selection.ids
        if ids:
            self._make(Step(f"delete {self._named(ids)}", lambda plan: remove_items(plan, ids), ids))

    def delete_host(self, host: str) -> None:
        """Remove a host; where guests are on it and others could take them, that is offered first."""
        guests = guests_on(self._desk, host)
        if guests and len(self._desk.document.plan.hosts) > 1:
            count = "a guest is" if len(guests) == 1 else f"{len(guests)} guests are"
            self.host_busy.emit(host, f"{count.capitalize()} on {self._named([host])}; they go to other hosts first.")
            return
        self._make(Step(f"delete {self._named([host])}", lambda plan: remove_items(plan, [host]), (host,)))

    def move_to(self, pool: str | None) -> None:
        """Move what is selected into a pool, or to the top."""
        plan = self._desk.document.plan
        ids = tuple(i for i in self._desk.selection.ids if i != pool and not self._is_there(plan, i, pool))
        if not ids:
            return
        where = "the top" if pool is None else self._named([pool])
        self._make(Step(f"move {self._named(ids)} to {where}", lambda plan: move_items(plan, ids, pool), ids))

    def move_to_host(self, host: str, guests: Sequence[str] | None = None) -> bool:
        """Move guests to a host, what is selected where none are named; tells whether they went."""
        try:
            step = move_step(self._desk, guests or guests_meant(self._desk, self._desk.selection.ids), host)
        except EditError as error:
            self._desk.trial.not_accepted.emit(str(error))
            self.told.emit(f"Not moved: {error}.")
            return False
        return self._make(step)

    @staticmethod
    def _is_there(plan: Plan, item_id: str, pool: str | None) -> bool:
        item = find_item(plan, item_id)
        return (item.pool if isinstance(item, Guest) else getattr(item, "parent", None)) == pool

    def shift(self, steps: int) -> None:
        """Let the current row change places with its neighbours."""
        item_id = self._desk.selection.current
        if item_id is not None:
            way = "down" if steps > 0 else "up"
            self._make(
                Step(f"shift {self._named([item_id])} {way}", lambda plan: shift_item(plan, item_id, steps), (item_id,))
            )

    def power(self) -> None:
        """Power the selected guests on, those in selected pools too; or off, when all of them are on."""
        plan = self._desk.document.plan
        chosen = set(self._desk.selection.ids)
        guests = [g for g in plan.guests if g.id in chosen or chosen & {pool.id for pool in pools_above(plan, g)}]
        sleeping = [guest.id for guest in guests if not guest.is_powered]
        if not guests:
            return
        if not sleeping:
            ids = tuple(guest.id for guest in guests)
            self._make(Step(f"power {self._named(ids)} off", _switch(ids, "off"), ids))
        elif len(sleeping) == 1:
            one = (sleeping[0],)
            self._make(Step(f"power {self._named(one)} on", _switch(one, "on"), one, one))
        else:
            self._power_many(sleeping)

    def _power_many(self, sleeping: Sequence[str]) -> None:
        site = self._desk.document.site
        admitted, waiting = admit_in_order(site, in_starting_order(site, sleeping))
        ids = tuple(admitted)
        if ids:
            self._make(Step(f"power {self._named(ids)} on", _switch(ids, "on"), ids, ids))
        lines = self._waiting_lines(site.plan, waiting, "would wait", "would wait")
        if lines:
            self.told.emit("\n".join(lines))

    def _waiting_lines(self, plan: Plan, waiting: Sequence[Waiting], one: str, many: str) -> list[str]:
        if not waiting:
            return []
        named = [f"{plan.labels[w.guest]}: {refusal_text(plan, w)}" for w in waiting]
        more = [f"and {len(named) - _MOST_NAMED} more"] if len(named) > _MOST_NAMED else []
        head = f"1 guest {one}:" if len(named) == 1 else f"{len(named)} guests {many}, in this order:"
        return [head, *named[:_MOST_NAMED], *more]

    def change(self, text: str, target: str, settings: dict[str, object]) -> bool:
        """Set settings of an item; tells whether it was accepted."""
        return self.change_all(text, [target], settings)

    def change_all(self, text: str, targets: Sequence[str], settings: dict[str, object]) -> bool:
        """Set settings of several items in one step; tells whether it was accepted."""
        return self._make(settings_step(text, [(target, settings) for target in targets]))

    def _make(self, step: Step) -> bool:
        """Make a step; tells whether it was accepted. A refusal is shown where refusals are."""
        return self._desk.trial.take(step)

    def _named(self, ids: Iterable[str]) -> str:
        ids = list(ids)
        if len(ids) != 1:
            return f"{len(ids)} selected"
        return getattr(find_item(self._desk.document.plan, ids[0]), "label", ids[0])


def _told(found: Brought) -> str:
    notes = [f"Left out: {', '.join(found.left_out)}."] if found.left_out else []
    return "\n".join([*notes, *found.told])


def _switch(ids: Sequence[str], power: str) -> Callable[[Plan], Plan]:
    return lambda plan: change_many(plan, [(guest, {"power": power}) for guest in ids])
