"""Tests of the interface for scripts."""
