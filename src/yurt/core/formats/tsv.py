"""TSV: lines of cells between tabs, otherwise as CSV."""

from __future__ import annotations

from yurt.core.formats.csv.formats import delimited

FORMAT = delimited("tsv", (".tsv", ".tab"), "lines of cells between tabs, otherwise as CSV", "tab")
