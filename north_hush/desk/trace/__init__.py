"""The trace below: levels, limits and alarms over time."""
