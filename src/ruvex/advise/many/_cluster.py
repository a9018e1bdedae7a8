"""Random days on a cluster of machines: the same days, the same figures, whoever plays them.

The scheduler is Dask's. Days go out in pieces; a piece whose worker is lost is played again by another one. A day is
drawn from its number and the seed alone, so it does not matter where it is played.
"""

from __future__ import annotations

import pickle
import re
from collections.abc import Iterator, Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.advise.many._days import Source
from ruvex.plan import RuvexError

Floats = NDArray[np.float64]

_PIECE: Final = 4
_TRIES: Final = 20
_WAIT_S: Final = 8
_ADDRESS: Final = re.compile(r"(tcp|tls)://[^/]+:\d{1,5}")


class ClusterError(RuvexError):
    """The cluster cannot be used, and why."""


def _play_piece(packed: bytes, numbers: Sequence[int]) -> list[tuple[int, Floats]]:
    """Play some days, on a worker."""
    source: Source = pickle.loads(packed)
    return [(number, source.figures(number)) for number in numbers]


def on_cluster(address: str) -> Any:
    """Give a runner that plays days on the workers of a Dask scheduler.

    Parameters
    ----------
    address
        Where the scheduler is, such as ``tcp://host:8786``. Its workers need the same Ruvex, Python and NumPy.

    Raises
    ------
    ClusterError
        The address is none, the package is not installed, or no scheduler answers there.
    """
    if not _ADDRESS.fullmatch(address):
        raise ClusterError(f"{address} is no address of a scheduler; write it as tcp://host:8786")
    try:
        from distributed import Client, as_completed
    except ImportError:
        raise ClusterError("days on a cluster need one more package: pip install 'ruvex[cluster]'") from None

    def play(source: Source, numbers: Sequence[int]) -> Iterator[tuple[int, Floats]]:
        try:
            client = Client(address, timeout=_WAIT_S, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise ClusterError(f"no scheduler answers at {address}: {error}") from error
        try:
            packed = pickle.dumps(source)
            pieces = [list(numbers[at : at + _PIECE]) for at in range(0, len(numbers), _PIECE)]
            futures = [client.submit(_play_piece, packed, piece, retries=_TRIES, pure=False) for piece in pieces]
            for future in as_completed(futures, loop=client.loop):
                yield from future.result()
        finally:
            client.close()

    return play
