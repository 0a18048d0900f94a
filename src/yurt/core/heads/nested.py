"""A nested record; its fields are fields of the whole record."""

from __future__ import annotations

from yurt.core.base.types import NESTED
from yurt.core.heads.head import HeadRule
from yurt.core.model import Nested

HEAD = HeadRule(Nested, {}, lambda head, scope, record: NESTED, lambda head, writer: "a record")
