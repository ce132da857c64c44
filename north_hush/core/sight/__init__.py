"""How well a camera sees: covered, turned, out of focus, dark, dazzled, frozen."""
