"""Handing over: alarms, scores, masks and prints of a whole site as plain values and files."""
