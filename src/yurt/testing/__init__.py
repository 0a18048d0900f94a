"""The plugin for pytest, which comes with the package."""
