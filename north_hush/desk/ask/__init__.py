"""The Ask stage."""
