"""Lets `python -m yurt` do what `yurt` does."""

from yurt.cli.main import main

if __name__ == "__main__":
    main()
