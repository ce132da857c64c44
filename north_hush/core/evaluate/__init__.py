"""Evaluating: the one answer to what a view raises on some footage under some tuning."""
