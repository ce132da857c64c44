"""Following: evidence -> bodies -> tracks, and what zones and wires make of them."""
