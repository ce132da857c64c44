"""Draw stage: zones, tripwires and masks."""
