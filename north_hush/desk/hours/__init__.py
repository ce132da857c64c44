"""The Hours stage."""
