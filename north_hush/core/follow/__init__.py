"""Following: evidence -> patches -> paths, and what zones and wires make of them."""
