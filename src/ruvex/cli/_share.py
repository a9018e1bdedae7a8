"""Where pages about the commands lie below a folder ``share``."""

from __future__ import annotations

from typing import Final

SHELL_PATHS: Final = {
    "bash": "bash-completion/completions/ruvex",
    "zsh": "zsh/site-functions/_ruvex",
    "fish": "fish/vendor_completions.d/ruvex.fish",
}
"""Where each shell looks for completions, below a folder ``share``."""
MAN_PATH: Final = "man/man1/ruvex.1"
