"""Ruvex: how a hypervisor divides CPU and memory among competing guests, seen before it happens."""

__version__ = "0.1.0"
