"""Runs Guardia: python -m guardia COMMAND."""

import sys

from guardia.cli import main

if __name__ == "__main__":
    sys.exit(main())
