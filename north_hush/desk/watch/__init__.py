"""The Watch stage: live cameras on a quiet board."""
