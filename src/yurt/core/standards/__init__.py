"""What a schema allows, as documents of open standards that other programs enforce: one module for each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.by_name import ByName

if TYPE_CHECKING:
    from yurt.core.standards.common.document import Document

DOCUMENTS: ByName[Document] = ByName(__name__, __path__, "DOCUMENT", without=("common",))
