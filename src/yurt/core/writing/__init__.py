"""From a run to files."""
