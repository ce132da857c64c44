"""The Judge stage: what really happened, what the settings are worth against it, and better ones."""
