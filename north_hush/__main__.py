"""`python -m north_hush` is the command line, or one of its child processes."""

import sys

from north_hush.children import child_of

if __name__ == "__main__":
    serve = child_of(sys.argv[1:])
    if serve is not None:
        sys.exit(serve())
    from north_hush.cli import main

    main()
