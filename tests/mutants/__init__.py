"""Rules that are broken one at a time, so that each is seen to have a test: ``scripts/mutants``."""
