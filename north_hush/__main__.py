"""`python -m north_hush` is the command line."""

from north_hush.cli import main

if __name__ == "__main__":
    main()
