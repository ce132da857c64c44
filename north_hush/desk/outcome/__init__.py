"""The Outcome stage: what an alarm leads to."""
