"""Words for the choices of a call; apart from the code that follows them, so that help texts load nothing else."""

from __future__ import annotations

# What becomes of new values where the catalogue does not know what a row says.
UNMATCHED = ("drawn", "missing", "refused")
