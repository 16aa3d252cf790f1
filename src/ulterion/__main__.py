"""`python -m ulterion`."""

import sys

from ulterion.cli.main import main

if __name__ == "__main__":
    sys.exit(main())
