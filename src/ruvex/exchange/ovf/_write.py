"""Writing a plan's pools and guests as an OVF 2 envelope (DMTF DSP0243): what CIM's allocation data can say of them."""

from __future__ import annotations

from typing import Any, Final

from lxml import etree

from ruvex.exchange.ovf._units import MEBIBYTES, MEGAHERTZ
from ruvex.plan import ElasticMemory, FixedMemory, Guest, Plan, Pool, ThinMemory

OVF: Final = "http://schemas.dmtf.org/ovf/envelope/2"
RASD: Final = "http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData"
VSSD: Final = "http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_VirtualSystemSettingData"
_PROCESSOR, _MEMORY = 3, 4


def write_ovf(plan: Plan) -> bytes:
    """Give a plan's pools as collections and its guests as virtual systems.

    Reservations, limits and weights, vCPUs and sizes go out; an elastic guest has its floor as reservation and its
    ceiling as limit. What the standard has no word for, such as demand or headroom, stays behind.
    """
    space: Any = {None: OVF, "ovf": OVF, "rasd": RASD, "vssd": VSSD}
    root = etree.Element(f"{{{OVF}}}Envelope", nsmap=space)
    etree.SubElement(root, f"{{{OVF}}}References")
    top = etree.SubElement(root, f"{{{OVF}}}VirtualSystemCollection", {f"{{{OVF}}}id": "site"})
    _text(top, "Info", "The guests of a site")
    _text(top, "Name", plan.name or "site")
    guests: dict[str | None, list[Guest]] = {}
    pools: dict[str | None, list[Pool]] = {}
    for guest in plan.guests:
        guests.setdefault(guest.pool, []).append(guest)
    for pool in plan.pools:
        pools.setdefault(pool.parent, []).append(pool)
    to_do: list[tuple[Any, str | None]] = [(top, None)]
    while to_do:
        parent, above = to_do.pop(0)
        for pool in pools.get(above, []):
            element = etree.SubElement(parent, f"{{{OVF}}}VirtualSystemCollection", {f"{{{OVF}}}id": pool.id})
            _text(element, "Info", "A resource pool")
            _text(element, "Name", pool.called)
            section = _section(element, "ResourceAllocationSection", "What the pool is promised, and may have")
            cpu, memory = pool.cpu, pool.memory
            _item(section, 1, "Processors", _PROCESSOR, MEGAHERTZ, None, cpu.reservation, cpu.limit, cpu.shares)
            _item(section, 2, "Memory", _MEMORY, MEBIBYTES, None, memory.reservation, memory.limit, memory.shares)
            to_do.append((element, pool.id))
        for guest in guests.get(above, []):
            _system(parent, guest)
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _text(parent: Any, name: str, text: str) -> None:
    etree.SubElement(parent, f"{{{OVF}}}{name}").text = text


def _section(parent: Any, name: str, info: str) -> Any:
    section = etree.SubElement(parent, f"{{{OVF}}}{name}")
    _text(section, "Info", info)
    return section


def _system(parent: Any, guest: Guest) -> None:
    system = etree.SubElement(parent, f"{{{OVF}}}VirtualSystem", {f"{{{OVF}}}id": guest.id})
    _text(system, "Info", "A guest")
    _text(system, "Name", guest.called)
    section = _section(system, "VirtualHardwareSection", "What it runs on")
    cpu, memory = guest.cpu, guest.memory
    _item(section, 1, "Processors", _PROCESSOR, MEGAHERTZ, guest.vcpus, cpu.reservation, cpu.limit, cpu.shares)
    reservation, limit, size = 0.0, None, memory.size
    if isinstance(memory, FixedMemory):
        reservation = memory.size
    elif isinstance(memory, ElasticMemory):
        reservation, limit = memory.floor, memory.ceiling
    elif isinstance(memory, ThinMemory):
        # A limit above the size binds nothing, and would be read as memory that may grow.
        reservation, limit = memory.reservation, memory.limit if (memory.limit or 0) <= size else None
    _item(section, 2, "Memory", _MEMORY, MEBIBYTES, size, reservation, limit, memory.shares)


def _item(
    section: Any, number: int, name: str, kind: int, unit: str, quantity: float | None, reservation: float,
    limit: float | None, weight: float,
) -> None:  # fmt: skip
    """Write one item; its fields stand in the order of the alphabet, as the schema has them."""
    fields: dict[str, Any] = {
        "AllocationUnits": unit, "ElementName": name, "InstanceID": str(number), "Limit": limit,
        "Reservation": reservation, "ResourceType": kind, "VirtualQuantity": quantity, "Weight": weight,
    }  # fmt: skip
    item = etree.SubElement(section, f"{{{OVF}}}Item")
    for field, value in fields.items():
        if value is not None:
            text = repr(float(value)) if isinstance(value, float) and value != round(value) else f"{value:.0f}" if (
                isinstance(value, float)) else str(value)  # fmt: skip
            etree.SubElement(item, f"{{{RASD}}}{field}").text = text
