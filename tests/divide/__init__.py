"""Tests of the division."""
