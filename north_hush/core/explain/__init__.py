"""Explaining: why an alarm was raised, what was refused, what a zone cannot see, what is restless."""
