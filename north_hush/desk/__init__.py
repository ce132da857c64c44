"""The window: it draws values and sends commands; the core computes."""
