"""Which recordings there are, apart from how they are made."""

FRAMES_PER_S = 10
RECORDINGS = ("afternoon",)
