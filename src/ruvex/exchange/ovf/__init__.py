"""Envelopes of the Open Virtualization Format, in and out."""

from ruvex.exchange.ovf._read import SUFFIXES, read_ovf
from ruvex.exchange.ovf._units import factor_of
from ruvex.exchange.ovf._write import write_ovf

__all__ = ["SUFFIXES", "factor_of", "read_ovf", "write_ovf"]
