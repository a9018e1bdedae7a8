"""``python -m ruvex``."""

from ruvex.cli import main

main()
