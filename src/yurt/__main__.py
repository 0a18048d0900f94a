"""Runs `yurt` for `python -m yurt`."""

from yurt.cli.main import main

if __name__ == "__main__":
    main()
