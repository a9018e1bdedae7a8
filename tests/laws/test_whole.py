"""What the generator of whole plans draws: everything the format has, and nothing that is not valid."""

from __future__ import annotations

import types
import typing
import unittest
from collections.abc import Iterator
from typing import Any

from hypothesis import given, settings
from pydantic import BaseModel

from ruvex.plan import Plan, check_plan
from tests.laws.whole import whole_plan, whole_plans
from tests.thorough import many

SEEDS = 300
ONLY_ONE = {"format", "version"}
"""Keys that have one value."""


class WholePlans(unittest.TestCase):
    """What is drawn."""

    def test_every_key_of_the_format_is_drawn(self) -> None:
        """No key is left at its default in all plans: a new key needs its place in the generator."""
        drawn: set[str] = set()
        for seed in range(SEEDS):
            drawn.update(_drawn(whole_plan(seed)))
        self.assertEqual(sorted(set(_keys(Plan)) - drawn - ONLY_ONE), [])

    @settings(max_examples=many(40), deadline=None)
    @given(whole_plans())
    def test_what_hypothesis_draws_is_valid(self, plan: Plan) -> None:
        """The same generator, from choices that shrink."""
        self.assertEqual(check_plan(plan), [])


def _models_in(kind: Any) -> Iterator[type[BaseModel]]:
    """Give the model classes that a type names, at any depth."""
    if isinstance(kind, type) and not isinstance(kind, types.GenericAlias) and issubclass(kind, BaseModel):
        yield kind
    for argument in typing.get_args(kind):
        yield from _models_in(argument)


def _keys(model: type[BaseModel]) -> Iterator[str]:
    """Name every key of a model and of those in it; a choice between models has the keys of all of them."""
    for name, field in model.model_fields.items():
        inner = list(_models_in(field.annotation))
        if not inner:
            yield name
        for one in inner:
            yield from (f"{name}.{key}" for key in _keys(one))


def _drawn(item: BaseModel) -> Iterator[str]:
    """Name the keys of an item that are not as they would be if left out."""
    for name, field in type(item).model_fields.items():
        value = getattr(item, name)
        for one in value if isinstance(value, tuple) else (value,):
            if isinstance(one, BaseModel):
                yield from (f"{name}.{key}" for key in _drawn(one))
        if value != field.get_default(call_default_factory=True):
            yield name
