"""Printing a JSON document: only finite numbers, whatever computed them."""

from __future__ import annotations

import json
from typing import Any

from ruvex.plan import OurFaultError


def print_document(document: Any, *, indent: int | None = None) -> None:
    """Print a document as JSON.

    Raises
    ------
    OurFaultError
        It has NaN or infinity in it, which JSON does not know: a fault of ours, and nothing is printed.
    """
    try:
        text = json.dumps(document, ensure_ascii=False, allow_nan=False, indent=indent)
    except ValueError as error:
        raise OurFaultError(f"the result cannot be written as JSON: {error}") from None
    print(text)
