"""When alarms count, when footage is kept, and when people are told."""
