"""Runs Guardia: python -m guardia COMMAND."""

import sys

if __name__ == "__main__":  # a process that is started to measure does not load the commands
    from guardia.cli import main

    sys.exit(main())
