"""The job itself: footage to evidence, evidence and a scene to levels and alarms. No interface code."""
