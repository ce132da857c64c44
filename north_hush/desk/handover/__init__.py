"""The Hand over stage: into the device that is really there, and out to people."""
