"""Reading envelopes of the Open Virtualization Format (DMTF DSP0243, versions 1 and 2), alone or in a tar (.ova).

A file from outside is hostile: its size, its depth and the number of its systems are bounded, it may have no document
type, and nothing that it names is opened.
"""

from __future__ import annotations

import io
import math
import tarfile
from collections.abc import Iterator
from typing import Any, Final

from lxml import etree
from pydantic import ValidationError

from ruvex.exchange._brought import Brought
from ruvex.exchange.ovf._units import factor_of
from ruvex.plan import Guest, Namer, Plan, PlanError, PlanFileError, Pool, Problem, RuvexError, UnitError

SUFFIXES: Final = (".ovf", ".ova")
MAX_BYTES: Final = 32 * 2**20
MOST_SYSTEMS: Final = 20_000
_MOST_ITEMS: Final = 200_000
_MOST_DEPTH: Final = 60
_MOST_MEMBERS: Final = 10_000
_SPACES: Final = tuple(f"http://schemas.dmtf.org/ovf/envelope/{version}" for version in (2, 1))
_PROCESSOR, _MEMORY = "3", "4"
"""Resource types of CIM: processor and memory."""
_KNOWN: Final = ("References", "VirtualHardwareSection", "ResourceAllocationSection", "Info", "Name", "VirtualSystem",
                 "VirtualSystemCollection", "AnnotationSection")  # fmt: skip
_MOST_LEFT_OUT: Final = 200


def read_ovf(content: bytes, name: str, plan: Plan) -> Brought:
    """Read an envelope.

    Parameters
    ----------
    content, name
        What the file holds, and what it is called; one that ends in ``.ova`` is a tar with an envelope in it.
    plan
        What it is for: ids and names that are taken there are not given again.

    Raises
    ------
    PlanFileError
        It is no such file, or more than is read.
    PlanError
        A system in it makes no guest; every one is named.
    """
    if len(content) > MAX_BYTES:
        raise PlanFileError(f"{name} is larger than {MAX_BYTES // 2**20} MiB, more than any envelope")
    if name.lower().endswith(".ova"):
        content = _envelope_in(content, name)
    return _Reading(_parsed(content, name), name, plan).brought()


def _envelope_in(content: bytes, name: str) -> bytes:
    """Give the envelope of a tar; nothing is unpacked, and what it is called is only compared."""
    try:
        with tarfile.open(fileobj=io.BytesIO(content), mode="r:") as tar:
            for _ in range(_MOST_MEMBERS):
                member = tar.next()
                if member is None:
                    break
                if member.isfile() and member.name.lower().endswith(".ovf"):
                    if member.size > MAX_BYTES:
                        raise PlanFileError(f"the envelope in {name} is larger than {MAX_BYTES // 2**20} MiB")
                    file = tar.extractfile(member)
                    if file is not None:
                        return file.read(MAX_BYTES + 1)
    except (tarfile.TarError, EOFError, ValueError, OSError, OverflowError):
        raise PlanFileError(f"{name} is no tar that can be read; take another copy") from None
    raise PlanFileError(f"{name} has no .ovf in it")


def _parsed(content: bytes, name: str) -> Any:
    if b"<!DOCTYPE" in content or b"<!ENTITY" in content:
        raise PlanFileError(f"{name} has a document type, which an envelope does not need; it is not read")
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, remove_comments=True, remove_pis=True,
    )  # fmt: skip
    try:
        root = etree.fromstring(content, parser)
    except etree.XMLSyntaxError as error:
        line, column = error.position
        what = "is no XML that can be read; take another copy, or mend it there"
        raise PlanFileError(f"{name}, line {line} column {column}: it {what}") from None
    except ValueError:
        raise PlanFileError(f"{name} is no XML that can be read; take another copy") from None
    info: Any = root.getroottree().docinfo
    if info.doctype:
        raise PlanFileError(f"{name} has a document type, which an envelope does not need; it is not read")
    if _local(root) != "Envelope" or _space(root) not in _SPACES:
        raise PlanFileError(f"{name} is no OVF envelope: its first element is {_local(root)[:60]!r}")
    return root


def _local(element: Any) -> str:
    return element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""


def _space(element: Any) -> str:
    return element.tag[1:].partition("}")[0] if isinstance(element.tag, str) and element.tag.startswith("{") else ""


class _Reading:
    """One envelope while it is read."""

    def __init__(self, root: Any, name: str, plan: Plan) -> None:
        self._root, self._name, self._space = root, name, _space(root)
        self._namer = Namer(plan)
        self._pools: list[Pool] = []
        self._guests: list[Guest] = []
        self._left_out: dict[str, None] = {}
        self._problems: list[Problem] = []
        self._items = 0

    def brought(self) -> Brought:
        for element in self._root:
            if _local(element) not in ("VirtualSystem", "VirtualSystemCollection"):
                self._leave(element)
        self._systems(self._package(), None, 0)
        if self._problems:
            raise PlanError(self._problems)
        if not self._guests and not self._pools:
            raise PlanFileError(f"{self._name} has no virtual system in it")
        told = ("An envelope says nothing of demand: each guest has that of a new one.",) if self._guests else ()
        return Brought(tuple(self._pools), tuple(self._guests), tuple(self._left_out), told=told)

    def _package(self) -> Any:
        """Give what holds the systems: an envelope has one, so a collection around all that sets nothing is no pool."""
        tops = [one for one in self._root if _local(one) in ("VirtualSystem", "VirtualSystemCollection")]
        if len(tops) == 1 and _local(tops[0]) == "VirtualSystemCollection":
            parts = {_local(one) for one in tops[0]}
            if "ResourceAllocationSection" not in parts and parts & {"VirtualSystem", "VirtualSystemCollection"}:
                for one in tops[0]:
                    if _local(one) not in ("VirtualSystem", "VirtualSystemCollection"):
                        self._leave(one)
                return tops[0]
        return self._root

    def _leave(self, element: Any) -> None:
        name = _local(element)
        if name and name not in _KNOWN and len(self._left_out) < _MOST_LEFT_OUT:
            self._left_out[name[:80]] = None

    def _systems(self, parent: Any, pool: str | None, depth: int) -> None:
        if depth > _MOST_DEPTH:
            raise PlanFileError(f"{self._name} nests collections deeper than {_MOST_DEPTH}")
        for element in parent:
            name = _local(element)
            if name == "VirtualSystem":
                self._guest(element, pool)
            elif name == "VirtualSystemCollection":
                self._systems(element, self._pool(element, pool), depth + 1)
            if len(self._guests) + len(self._pools) > MOST_SYSTEMS:
                raise PlanFileError(f"{self._name} has more than {MOST_SYSTEMS} systems")

    def _name_of(self, element: Any) -> str:
        told = next((child.text for child in element if _local(child) == "Name" and child.text), None)
        given = told or element.get(f"{{{self._space}}}id") or element.get("id") or "system"
        return " ".join("".join(ch if ch.isprintable() else " " for ch in given).split())[:120] or "system"

    # Items

    def _items_of(self, element: Any, section: str) -> Iterator[dict[str, str]]:
        """Give the items of a section as plain texts by their local names."""
        for part in element:
            if _local(part) != section:
                self._leave(part)
                continue
            for item in part:
                if _local(item) not in ("Item", "StorageItem", "EthernetPortItem"):
                    self._leave(item)
                    continue
                self._items += 1
                if self._items > _MOST_ITEMS:
                    raise PlanFileError(f"{self._name} has more than {_MOST_ITEMS} items")
                if item.get(f"{{{self._space}}}bound") is None:
                    # What is the least or the most that would do is no setting.
                    yield {_local(field): (field.text or "").strip()[:200] for field in item}

    def _resources(self, element: Any, section: str) -> tuple[dict[str, str], dict[str, str]]:
        """Give the item of the processor and that of the memory; others are left out by what they are called."""
        found: dict[str, dict[str, str]] = {}
        for item in self._items_of(element, section):
            kind = item.get("ResourceType", "")
            if kind in (_PROCESSOR, _MEMORY):
                found.setdefault(kind, item)
            elif len(self._left_out) < _MOST_LEFT_OUT:
                self._left_out[(item.get("ElementName") or item.get("Description") or f"resource {kind}")[:80]] = None
        return found.get(_PROCESSOR, {}), found.get(_MEMORY, {})

    def _amount(self, item: dict[str, str], field: str, base: str) -> float | None:
        """Give an amount in MHz or MiB; None where it is not there."""
        text = item.get(field, "")
        if not text:
            return None
        unit = item.get("AllocationUnits", "")
        value = _number(text, field)
        if base == "hertz" and (not unit or not unit.lower().startswith("hertz")):
            raise UnitError(f"{field} of a processor has no unit of hertz (AllocationUnits is {unit[:40]!r})")
        return value * factor_of(unit or "byte * 2^20", base)

    def _pool(self, element: Any, parent: str | None) -> str | None:
        name = self._name_of(element)
        cpu, memory = self._resources(element, "ResourceAllocationSection")
        try:
            settings: dict[str, Any] = {"cpu": self._bounds(cpu, "hertz"), "memory": self._bounds(memory, "byte")}
            free = self._namer.name_like(name)
            data = {"id": self._namer.id_for(free, "pool"), "name": free, "parent": parent} | settings
            pool = Pool.model_validate(data)
        except (ValidationError, RuvexError) as error:
            self._problems.append(Problem(name, _why(error), "mend the file"))
            return parent
        self._pools.append(pool)
        return pool.id

    def _bounds(self, item: dict[str, str], base: str) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for field, key in (("Reservation", "reservation"), ("Limit", "limit")):
            value = self._amount(item, field, base)
            if value is not None:
                found[key] = value
        if item.get("Weight"):
            found["shares"] = _number(item["Weight"], "Weight")
        return found

    def _guest(self, element: Any, pool: str | None) -> None:
        name = self._name_of(element)
        cpu, memory = self._resources(element, "VirtualHardwareSection")
        try:
            vcpus = _number(cpu.get("VirtualQuantity") or "1", "VirtualQuantity")
            if vcpus != round(vcpus):
                raise UnitError(f"{vcpus:g} processors are no whole number")
            bounds = self._bounds(memory, "byte")
            size = self._amount(memory, "VirtualQuantity", "byte")
            free = self._namer.name_like(name)
            data: dict[str, Any] = {
                "id": self._namer.id_for(free, "guest"), "name": free, "pool": pool, "vcpus": round(vcpus),
                "cpu": self._bounds(cpu, "hertz"),
            }  # fmt: skip
            if size is not None:
                data["memory"] = _memory(size, bounds)
            guest = Guest.model_validate(data)
        except (ValidationError, RuvexError) as error:
            self._problems.append(Problem(name, _why(error), "mend the file"))
            return
        self._guests.append(guest)


def _memory(size: float, bounds: dict[str, Any]) -> dict[str, Any]:
    """Give the memory of a guest: fixed where all is reserved, elastic where it may grow, else thin."""
    reservation, limit = bounds.pop("reservation", 0.0), bounds.pop("limit", None)
    if limit is not None and limit > size:
        return {"mode": "elastic", "boot": size, "floor": reservation, "ceiling": limit} | bounds
    if reservation >= size:
        return {"mode": "fixed", "size": size} | bounds
    return {"mode": "thin", "size": size, "reservation": reservation, "limit": limit} | bounds


def _number(text: str, field: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or value < 0:
        raise UnitError(f"{field} is {text[:40]!r}, which is no number")
    return value


def _why(error: Exception) -> str:
    if isinstance(error, ValidationError):
        return "; ".join(f"{'.'.join(map(str, one['loc']))}: {one['msg']}" for one in error.errors()[:5])
    return str(error)
