"""The JSON Schema of a plan file, generated from the model classes."""

from __future__ import annotations

from typing import Any

from ruvex.plan._model import Plan

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def plan_schema() -> dict[str, Any]:
    """Give the JSON Schema (2020-12) of a plan file."""
    schema = Plan.model_json_schema(mode="validation")
    required = sorted({"format", "version", *schema.get("required", [])})
    return {"$schema": DIALECT, **schema, "title": "Ruvex plan", "required": required}
