"""Tests of the plan as arrays."""
