"""Runs the program: `yurt`, and `python -m yurt`."""

from __future__ import annotations

import sys
from typing import NoReturn


def main() -> NoReturn:
    """Run the program; Ctrl-C while it is imported ends it as it does later."""
    try:
        from yurt.cli.main import main as program
    except KeyboardInterrupt:
        sys.stderr.write("interrupted; no partial files were left\n")
        sys.exit(130)
    program()


if __name__ == "__main__":
    main()
