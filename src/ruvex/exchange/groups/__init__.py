"""Control groups of the Linux kernel: a running host's in, a plan's out as drop-in files of systemd."""

from ruvex.exchange.groups._read import read_groups
from ruvex.exchange.groups._write import drop_ins

__all__ = ["drop_ins", "read_groups"]
