"""Overview: all views at a glance."""
