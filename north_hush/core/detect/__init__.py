"""Evidence, scene and settings to levels, and levels to alarms."""
