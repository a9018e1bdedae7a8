"""Quantities as people type and read them."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from ruvex.desktop.state.figures import figure, parse, percent, typed
from ruvex.desktop.state.units import GHZ, GIB, Unit
from ruvex.plan import (
    UnitError,
    format_cpu,
    format_memory,
    format_number,
    format_time,
    parse_cpu,
    parse_memory,
    parse_number,
    parse_time,
)
from ruvex.site import site_of
from tests.builders import plan_of

THIN = "\u202f"
AROUND = {"core_mhz": 2600.0, "guest_mhz": 10_400.0, "host_mhz": 62_400.0}


UNITS = (GHZ, GIB, Unit("cpu", "%", 100.0), Unit("cpu", "cores", 1000.0), Unit("memory", "%", 1000.0))


class Typing(unittest.TestCase):
    """What a person types becomes MHz, MiB and seconds."""

    def test_cpu(self) -> None:
        """MHz, GHz, cores, percent of the own vCPUs and of the host, with any spacing and either decimal sign."""
        cases = {
            "2600": 2600, "2.6 GHz": 2600, "2,6GHz": 2600, " 800 mhz ": 800,
            "1.5 cores": 3900, "2c": 5200, "50 %": 5200,
            "25% of own": 2600, "10 % of host": 6240, "100 % of the host": 62_400, "12 345": 12_345,
            f"12{THIN}345 MHz": 12_345, "1e3": 1000, "0": 0, "-3": -3,
        }  # fmt: skip
        for text, mhz in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_cpu(text, **AROUND), mhz)
        self.assertEqual(parse_cpu("2", default_unit="GHz"), 2000)
        # As amounts below none are written: what is copied from a window is read again.
        self.assertEqual(parse_cpu(format_cpu(-12_300)), -12_300)

    def test_memory(self) -> None:
        """Binary units count by 1024, decimal ones by 1000."""
        cases = {
            "512": 512, "512 MiB": 512, "1.5 GiB": 1536, "2 TiB": 2 * 1024**2, "1024 KiB": 1, "1 GB": 1e9 / 2**20,
            "1 MB": 1e6 / 2**20, "3g": 3072, "0,5 gib": 512,
        }  # fmt: skip
        for text, mib in cases.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_memory(text), mib)
        self.assertEqual(parse_memory("4", default_unit="GiB"), 4096)

    def test_times(self) -> None:
        """Times of day and plain seconds."""
        cases = {
            "00:00": 0,
            "08:10": 29_400,
            "23:59:59": 86_399,
            "24:00": 86_400,
            "90": 90,
            12.5: 12.5,
            "00:00:00.5": 0.5,
        }
        for text, seconds in cases.items():
            with self.subTest(text):
                self.assertEqual(parse_time(text), seconds)

    def test_nonsense_is_refused_with_its_text(self) -> None:
        """What cannot be understood is quoted, with what would be."""
        for read, text, expected in (
            (parse_cpu, "fast", "'fast' is not a number"),
            (parse_cpu, "", "'' is not a number"),
            (parse_cpu, "3 parsecs", "'parsecs' is no CPU unit that means something here; use one of MHz, GHz"),
            (parse_cpu, "50 %", "'%' is no CPU unit that means something here"),
            (parse_cpu, "1e999", "not a finite number"),
            (parse_cpu, "nan", "not a number"),
            (parse_cpu, "1.2.3", "is no CPU unit"),
            (parse_memory, "3 GHz", "'ghz' is no memory unit; use MiB, GiB or TiB"),
            (parse_time, "8:61", "write HH:MM, HH:MM:SS or seconds"),
            (parse_time, "-5", "it must be 0 or later"),
            (parse_time, "inf", "write HH:MM, HH:MM:SS or seconds"),
            (parse_time, "1_0", "'1_0' is not a time"),
            (parse_number, "1_0", "'1_0' is not a number"),
            (parse_number, "\u0661", "is not a number"),
            (parse_number, "infinity", "is not a number"),
            (parse_number, "1e999", "is not a number"),
        ):
            with self.subTest(text=text, read=read.__name__), self.assertRaises(UnitError) as caught:
                read(text)
            self.assertIn(expected, str(caught.exception))

    @given(st.integers(0, 2_000_000), st.sampled_from(UNITS))
    def test_shown_settings_can_be_typed_back(self, value: int, unit: Unit) -> None:
        """Whole MHz and MiB survive being shown in a field and entered again, in any unit."""
        site = site_of(plan_of([{"id": "a", "vcpus": 3}]), {})
        self.assertAlmostEqual(parse(typed(float(value), unit), unit, site, site.plan.guests[0]), value, delta=0.5)

    @given(st.text(max_size=12))
    def test_no_text_breaks_the_reader(self, text: str) -> None:
        """Any text is either understood or refused in words."""
        for read in (parse_cpu, parse_memory, parse_time):
            try:
                value = read(text)
            except UnitError as error:
                self.assertRegex(str(error), "write|use |must be")
            else:
                self.assertIsInstance(value, float)


class Reading(unittest.TestCase):
    """What a person reads."""

    def test_formats(self) -> None:
        """Thin spaces in thousands, true minus signs, few digits, units that fit."""
        for shown, expected in (
            (format_number(1234567.891, 1), f"1{THIN}234{THIN}567.9"),
            (format_number(-0.001), "0"),
            (format_number(-0.04, 1), "0.0"),
            (format_number(-5.25, 1), "−5.2"),
            (format_cpu(999), f"999{THIN}MHz"),
            (format_cpu(1000), f"1.00{THIN}GHz"),
            (format_cpu(62_400), f"62.4{THIN}GHz"),
            (format_memory(1023), f"1{THIN}023{THIN}MiB"),
            (format_memory(1024), f"1.00{THIN}GiB"),
            (format_memory(1_500_000), f"1{THIN}464.8{THIN}GiB"),
            (format_time(0), "00:00"),
            (format_time(86_400), "24:00"),
            (format_time(3661), "01:01:01"),
            (figure(0, GHZ), "0.00"),
            (figure(99_949, GHZ), "99.9"),
            (figure(99_951, GHZ), "100"),
            (figure(-700, GHZ, signed=True), "−0.70"),
            (figure(700, GHZ, signed=True), "+0.70"),
            (typed(6050, GHZ), f"6.05{THIN}GHz"),
            (typed(6053, GHZ), f"6{THIN}053{THIN}MHz"),
            (percent(0, 5), f"0{THIN}%"),
            (percent(5, 5), f"100{THIN}%"),
            (percent(4.9999, 5), f"99{THIN}%"),
            (percent(9, 5), f"180{THIN}%"),
        ):
            with self.subTest(expected):
                self.assertEqual(shown, expected)
