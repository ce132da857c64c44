"""Small stand-ins for devices and services outside, to try things out with."""
