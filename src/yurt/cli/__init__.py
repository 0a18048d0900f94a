"""The command line: one module a command, thin; what they do is in `yurt.core`."""
