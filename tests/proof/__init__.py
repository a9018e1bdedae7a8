"""Proof on the running kernel."""
