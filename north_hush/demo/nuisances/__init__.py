"""Things that raise false alarms at Skerry Quay, one module each."""
