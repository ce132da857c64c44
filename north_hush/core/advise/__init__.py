"""Advising: what asks the evaluation often: curves, maps, search, single changes, quiet stretches, walk tests."""
