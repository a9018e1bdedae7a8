"""OVF envelopes: what goes out comes back, foreign ones are read, hostile ones refused."""

from __future__ import annotations

import io
import tarfile
import tempfile
import unittest
from pathlib import Path
from typing import Any

from hypothesis import assume, given, settings
from hypothesis import strategies as st
from lxml import etree

from ruvex.exchange import read_ovf, write_ovf
from ruvex.exchange.ovf import factor_of
from ruvex.plan import Guest, Plan, PlanError, PlanFileError, Pool, RuvexError, UnitError, plan_text, read_plan
from tests.cli.inside import run
from tests.demo import DEMO
from tests.exchange.damage import DAMAGED, damaged
from tests.thorough import many

OVF1 = "http://schemas.dmtf.org/ovf/envelope/1"
RASD = "http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData"
FOREIGN = f"""<?xml version="1.0"?>
<Envelope xmlns="{OVF1}" xmlns:ovf="{OVF1}" xmlns:rasd="{RASD}">
  <References><File ovf:id="disk" ovf:href="../../../etc/passwd"/></References>
  <NetworkSection><Info>networks</Info></NetworkSection>
  <VirtualSystem ovf:id="harbour-desk">
    <Info>one</Info>
    <ProductSection><Info>a product</Info></ProductSection>
    <VirtualHardwareSection>
      <Info>hardware</Info>
      <Item>
        <rasd:AllocationUnits>hertz * 10^6</rasd:AllocationUnits><rasd:ElementName>3 CPUs</rasd:ElementName>
        <rasd:InstanceID>1</rasd:InstanceID><rasd:Reservation>700</rasd:Reservation><rasd:ResourceType>3</rasd:ResourceType>
        <rasd:VirtualQuantity>3</rasd:VirtualQuantity><rasd:Weight>150</rasd:Weight>
      </Item>
      <Item ovf:bound="max">
        <rasd:ResourceType>3</rasd:ResourceType><rasd:VirtualQuantity>64</rasd:VirtualQuantity>
      </Item>
      <Item>
        <rasd:AllocationUnits>byte * 2^30</rasd:AllocationUnits><rasd:InstanceID>2</rasd:InstanceID>
        <rasd:Reservation>2</rasd:Reservation><rasd:ResourceType>4</rasd:ResourceType>
        <rasd:VirtualQuantity>6</rasd:VirtualQuantity>
      </Item>
      <Item><rasd:ElementName>a disk</rasd:ElementName><rasd:InstanceID>3</rasd:InstanceID>
        <rasd:ResourceType>17</rasd:ResourceType></Item>
    </VirtualHardwareSection>
  </VirtualSystem>
</Envelope>
""".encode()  # fmt: skip

amounts = st.floats(0, 1e6).map(lambda value: round(value, 3))
above = st.floats(1, 1e6).map(lambda value: round(value, 3))
names = st.text(st.characters(categories=("L", "N")), min_size=1, max_size=12)


@st.composite
def plans(draw: st.DrawFn) -> Plan:
    """Give plans of nested pools and guests of every kind of memory."""
    pools: list[Pool] = []
    for number in range(draw(st.integers(0, 4))):
        parent = draw(st.sampled_from([None, *(pool.id for pool in pools)]))
        bounds = {key: {"reservation": draw(amounts), "shares": draw(above), "limit": draw(st.none() | above)}
                  for key in ("cpu", "memory")}  # fmt: skip
        pools.append(
            Pool.model_validate({"id": f"p{number}", "name": f"pool {draw(names)} {number}", "parent": parent} | bounds)
        )
    guests = []
    for number in range(draw(st.integers(1, 5))):
        size = draw(above)
        part = draw(st.floats(0, 0.99))
        memory: dict[str, Any] = draw(st.sampled_from([
            {"mode": "fixed", "size": size}, {"mode": "thin", "size": size, "reservation": round(size * part, 3)},
            {"mode": "thin", "size": size, "limit": max(round(size * part, 3), 0.001)},
            {"mode": "elastic", "boot": size, "floor": round(size * part, 3), "ceiling": size * 2},
        ]))  # fmt: skip
        guests.append(Guest.model_validate({
            "id": f"g{number}", "name": f"guest {draw(names)} {number}", "vcpus": draw(st.integers(1, 64)),
            "pool": draw(st.sampled_from([None, *(pool.id for pool in pools)])),
            "cpu": {"reservation": draw(amounts), "limit": draw(st.none() | above), "shares": draw(above)},
            "memory": memory | {"shares": draw(above)},
        }))  # fmt: skip
    return Plan(pools=tuple(pools), guests=tuple(guests))


def said(item: Pool | Guest, labels: dict[str | None, str | None]) -> dict[str, Any]:
    """Give what an envelope can say of an item, with the label of the pool above it."""
    data = item.model_dump(exclude={"id", "owner", "demand", "weighs", "image", "agent", "tags"})
    for key in ("pool", "parent"):
        if key in data:
            data[key] = labels[data[key]]
    for part in ("cpu", "memory"):
        data[part].pop("draws", None)
        data[part].pop("headroom_percent", None)
    return data


class RoundTrip(unittest.TestCase):
    """Out and in again."""

    @settings(max_examples=many(60))
    @given(plans())
    def test_what_goes_out_comes_back(self, plan: Plan) -> None:
        """Names, nesting, vCPUs, sizes, reservations, limits, weights; the second envelope is the first."""
        assume(plan.pools or plan.guests)
        content = write_ovf(plan)
        back = read_ovf(content, "p.ovf", Plan())
        self.assertEqual(back.left_out, ())
        before: dict[str | None, str | None] = {None: None} | {pool.id: pool.name for pool in plan.pools}
        after: dict[str | None, str | None] = {None: None} | {pool.id: pool.name for pool in back.pools}
        for old, new in ((plan.pools, back.pools), (plan.guests, back.guests)):
            self.assertEqual({o.name: said(o, before) for o in old}, {n.name: said(n, after) for n in new})
        again = write_ovf(Plan(pools=back.pools, guests=back.guests))
        self.assertEqual(sorted(_texts(again)), sorted(_texts(content)))

    def test_it_has_the_structure_the_standard_states(self) -> None:
        """References first; each system has Info, Name and a section; fields of an item in the alphabet's order."""
        root = etree.fromstring(write_ovf(read_plan(DEMO).plan))
        local = [child.tag.rpartition("}")[2] for child in root]
        self.assertEqual(local, ["References", "VirtualSystemCollection"])
        for system in root.iter("{*}VirtualSystem"):
            self.assertEqual(
                [child.tag.rpartition("}")[2] for child in system], ["Info", "Name", "VirtualHardwareSection"]
            )
        for item in root.iter("{*}Item"):
            fields = [child.tag.rpartition("}")[2] for child in item]
            self.assertEqual(fields, sorted(fields))
            self.assertTrue({"ElementName", "InstanceID", "ResourceType"} <= set(fields))


def _texts(content: bytes) -> list[str]:
    return [
        (element.text or "").strip() for element in etree.fromstring(content).iter() if (element.text or "").strip()
    ]


class Foreign(unittest.TestCase):
    """Envelopes that others wrote."""

    def test_version_one_with_sections_that_have_no_place_here(self) -> None:
        """Units are those of the item; what the file names is not opened; what is left out is told once."""
        found = read_ovf(FOREIGN, "x.ovf", Plan())
        (guest,) = found.guests
        self.assertEqual(
            (guest.name, guest.vcpus, guest.cpu.reservation, guest.cpu.shares), ("harbour-desk", 3, 700, 150)
        )
        self.assertEqual(guest.memory.model_dump(include={"mode", "size", "reservation"}),
                         {"mode": "thin", "size": 6144, "reservation": 2048})  # fmt: skip
        self.assertEqual(found.left_out, ("NetworkSection", "ProductSection", "a disk"))
        self.assertIn("demand", found.told[0])

    def test_in_a_tar(self) -> None:
        """The first envelope in it; a tar without one, cut short, or none at all is refused."""
        buffer = io.BytesIO()
        with tarfile.open(fileobj=buffer, mode="w") as tar:
            for name, content in (("disk.img", b"x" * 3000), ("../x.ovf", FOREIGN)):
                member = tarfile.TarInfo(name)
                member.size = len(content)
                tar.addfile(member, io.BytesIO(content))
        self.assertEqual(read_ovf(buffer.getvalue(), "x.OVA", Plan()).guests[0].vcpus, 3)
        for wrong in (buffer.getvalue()[:2000], b"nothing", b""):
            with self.assertRaises(PlanFileError):
                read_ovf(wrong, "x.ova", Plan())

    def test_names_that_are_taken_are_counted_on(self) -> None:
        """A plan that has a harbour-desk gets another one."""
        plan = Plan(guests=(Guest(id="harbour-desk"),))
        (guest,) = read_ovf(FOREIGN, "x.ovf", plan).guests
        self.assertNotEqual(guest.id, "harbour-desk")
        self.assertNotEqual(guest.label, "harbour-desk")

    def test_units(self) -> None:
        """As the standard writes them; what is no such unit says so."""
        self.assertEqual(factor_of("byte * 10^6 * 2", "byte"), 2e6 / 2**20)
        for wrong in ("MegaBytes", "byte * x", "byte * 2^999", "hertz * 10^6", "byte *", "byte" + " * 2" * 40):
            with self.assertRaises(UnitError, msg=wrong):
                factor_of(wrong, "byte")

    def test_what_makes_no_guest_is_named(self) -> None:
        """Each with its name and why; nothing is brought then."""
        # The standard counts memory in MiB where no unit is given; six of those, promised two.
        bare = FOREIGN.replace(b"<rasd:AllocationUnits>byte * 2^30</rasd:AllocationUnits>", b"")
        (guest,) = read_ovf(bare, "x.ovf", Plan()).guests
        self.assertEqual((guest.memory.reservation, getattr(guest.memory, "size", None)), (2, 6))
        wrong = FOREIGN.replace(b"<rasd:VirtualQuantity>3<", b"<rasd:VirtualQuantity>2.5<")
        with self.assertRaisesRegex(PlanError, "harbour-desk.*2.5 processors are no whole number"):
            read_ovf(wrong, "x.ovf", Plan())


class Hostile(unittest.TestCase):
    """Files that mean harm."""

    def test_bombs_and_files_from_outside(self) -> None:
        """Entities of any kind are refused before anything is expanded or opened."""
        laughs = b"".join(b'<!ENTITY l%d "%s">' % (n, b"&l%d;" % (n - 1) * 10) for n in range(1, 9))
        for kind in (b"<!DOCTYPE e [<!ENTITY l0 'ha'>" + laughs + b"]>", b'<!DOCTYPE e SYSTEM "file:///etc/passwd">',
                     b'<!DOCTYPE e [<!ENTITY x SYSTEM "file:///etc/passwd">]>'):  # fmt: skip
            content = FOREIGN.replace(b'<?xml version="1.0"?>', b'<?xml version="1.0"?>' + kind)
            with self.assertRaisesRegex(PlanFileError, "document type"):
                read_ovf(content, "x.ovf", Plan())
        wide = FOREIGN.decode().replace('<?xml version="1.0"?>', '<!DOCTYPE e [<!ENTITY x "y">]>').encode("utf-16")
        with self.assertRaises(PlanFileError):
            read_ovf(wide, "x.ovf", Plan())

    def test_what_is_no_envelope_is_said_in_words(self) -> None:
        """Where it breaks, once, and no parser's own text."""
        for content, said in ((b"<a><b></a>", "x.ovf, line 1 column 11: it is no XML that can be read"),
                              (b"<a/>", "x.ovf is no OVF envelope")):  # fmt: skip
            with self.assertRaises(PlanFileError) as caught:
                read_ovf(content, "x.ovf", Plan())
            self.assertTrue(str(caught.exception).startswith(said), str(caught.exception))
            self.assertNotIn("string", str(caught.exception))

    def test_too_deep_and_too_many(self) -> None:
        """Both are refused, and say so."""
        nested = f'<Envelope xmlns="{OVF1}">' + "<VirtualSystemCollection>" * 200 + "</VirtualSystemCollection>" * 200
        with self.assertRaises(PlanFileError):
            read_ovf((nested + "</Envelope>").encode(), "x.ovf", Plan())
        many = f'<Envelope xmlns="{OVF1}">' + "<VirtualSystem/>" * 20_001 + "</Envelope>"
        with self.assertRaisesRegex(PlanFileError, "more than 20000 systems"):
            read_ovf(many.encode(), "x.ovf", Plan())

    def test_what_is_damaged_is_refused_or_read(self) -> None:
        """Files with bytes changed, cut or doubled, ten thousand in full: an error of ours or a plan's parts."""
        for content in damaged([FOREIGN, write_ovf(read_plan(DEMO).plan)], DAMAGED):
            try:
                read_ovf(content, "x.ovf", Plan())
            except RuvexError as error:
                self.assertTrue(str(error))


class ByCommand(unittest.TestCase):
    """``ruvex bring`` and ``ruvex give``."""

    def test_out_and_in_again(self) -> None:
        """The demo as an envelope, brought into an empty plan and into a plan of its own; status 2 otherwise."""
        with tempfile.TemporaryDirectory() as folder:
            ovf, plan, there = (Path(folder) / name for name in ("x.ovf", "new.ruvex.json", "there.ruvex.json"))
            self.assertEqual(run("give", str(DEMO), "--out", str(ovf)).returncode, 0)
            told = run("bring", str(ovf), "--out", str(plan))
            self.assertEqual((told.returncode, told.stderr), (0, ""))
            self.assertIn("39 guests and 5 pools", told.stdout)
            self.assertEqual(len(read_plan(plan).plan.guests), 39)
            there.write_text(plan_text(Plan(guests=(Guest(id="mail"),))), encoding="utf-8")
            self.assertEqual(run("bring", str(ovf), "--into", str(there)).returncode, 0)
            self.assertEqual(len(read_plan(there).plan.guests), 40)
            for wrong in ([str(ovf)], [str(DEMO), "--out", str(plan)], [str(ovf) + "x", "--out", str(plan)]):
                self.assertEqual(run("bring", *wrong).returncode, 2)
            table = Path(folder) / "guests.csv"
            self.assertEqual(run("give", str(there), "--as", "csv", "--out", str(table)).returncode, 0)
            new = run("bring", str(table), "--out", str(plan))
            self.assertEqual((new.returncode, new.stderr), (0, ""))
            before, after = ({g.name or g.id: g.memory for g in read_plan(path).plan.guests} for path in (there, plan))
            self.assertEqual(before, after)
            table.write_bytes(b"name\n\xff\n")
            self.assertIn("UTF-8", run("bring", str(table), "--out", str(plan)).stderr)
            self.assertEqual(run("give", str(DEMO), "--as", "x", "--out", str(ovf)).returncode, 2)
