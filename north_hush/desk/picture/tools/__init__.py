"""Mouse tools as generators: press, drag and release read from top to bottom in one function."""
