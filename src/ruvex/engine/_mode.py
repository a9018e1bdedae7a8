"""Whether kernels are compiled, or run as the Python they are written in. Nothing here imports Numba."""

from __future__ import annotations

import sys

import numpy as np

is_plain = False
"""Whether kernels run as plain Python in this process; they are made as this says when the first is asked for."""


def work_plainly() -> None:
    """Let kernels run as plain Python in this process, which is to end after a small task.

    To import Numba and to load compiled kernels takes longer than to divide a small plan once in plain Python. The
    figures are the same to the bit. Where kernels are there already, they stay as they are.
    """
    global is_plain
    if "ruvex.engine._all" not in sys.modules:
        is_plain = True
        # As compiled kernels do, a division by nothing gives infinity, or what is no number, and says nothing.
        np.seterr(all="ignore")
