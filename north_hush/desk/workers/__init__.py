"""Work that must not hold up the window, in threads and child processes."""
