"""JSON as in RFC 8259: one array of records, one record per line.

Numbers are written with all their places, dates and date-times as texts in ISO 8601. Lists are arrays, nested records
are objects.
"""

from __future__ import annotations

from yurt.core.formats.json.writing import json_format

FORMAT = json_format("json", (".json",), "one array of records, as in RFC 8259", array=True)
