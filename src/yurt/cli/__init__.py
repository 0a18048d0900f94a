"""The command line: one thin module per command; the work is done in `yurt.core`."""
