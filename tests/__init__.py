"""Tests of Ruvex; the folders mirror the package."""
