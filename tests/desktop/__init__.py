"""Tests of the desktop."""
