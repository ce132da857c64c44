"""What an alarm leads to: clips, snapshots, notices, contacts, and how long the disk lasts."""
