"""Draw stage: zones and masks."""
