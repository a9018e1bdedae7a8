"""Tests of the play engine."""
