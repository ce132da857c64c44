"""Live cameras: the same eyes as replay, one frame at a time."""
