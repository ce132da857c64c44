"""Which recordings there are, apart from how they are made."""

FRAMES_PER_S = 10
RECORDINGS = ("afternoon", "dusk", "night", "snow")
CROWD = "regatta"
"""A day with a crowd on the slip: for wires and tracks, not for settings. It comes after the others."""
GALE = "gale"
"""A gale with all that makes a camera blind, things left and taken, and sound: in a site of its own."""

WIRES_PX = (("Slip line", (290.0, 312.0), (626.0, 312.0)), ("Quay line", (214.0, 150.0), (206.0, 194.0)))
"""Name and ends of the demo's tripwires, in pixels. Side A lies on the left hand of somebody going from the first end
to the second; crossings of the truth are told from A to B or back."""
