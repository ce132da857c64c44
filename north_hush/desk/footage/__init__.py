"""Footage stage: recordings, what they are, and their evidence pass."""
