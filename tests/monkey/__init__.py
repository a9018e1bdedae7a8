"""Seeded random walks over the real window: see docs/reliability.md."""
