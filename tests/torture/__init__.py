"""Damaged inputs, kills and long use, by the thousand: a little in the suite, much by ``scripts/torture``."""
