"""Tune stage: dials and the alarms they raise."""
