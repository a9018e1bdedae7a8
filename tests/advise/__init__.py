"""Tests of the advice."""
