"""Kinds of banks and exchanges of one country: securities and banks by number, each with its check digit."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.kinds.catalogue import kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext


@kind(
    "cusip",
    "the number of a security in North America",
    check="ANSI X9.6",
    source="ANSI X9.6",
    unique=10**5,
    allowed="[0-9A-Z*@#]{8}\\d",
    reserved="...99.*",
    safe="has 99 at the positions of the issuer that are reserved for private use",
)
def cusip(context: KindContext) -> Column:
    return context.checked("cusip", "###99###=")


@kind(
    "sedol",
    "the number of a security in Great Britain",
    check="weights 1 3 1 7 3 9 1, modulo 10",
    source="London Stock Exchange, SEDOL",
    unique=10**4,
    allowed="[0-9B-DF-HJ-NP-TV-Z]{6}\\d",
    reserved="9.*",
    safe="begins with 9, which is reserved for private use",
)
def sedol(context: KindContext) -> Column:
    return context.checked("sedol", "9#####=")


@kind(
    "routing-number",
    "the number of a bank in the United States",
    check="weights 3 7 1, modulo 10",
    source="American Bankers Association",
    unique=10**5,
    allowed="\\d{9}",
    reserved="39.*",
    safe="begins with 39, which no bank has",
)
def routing_number(context: KindContext) -> Column:
    return context.checked("aba", "39######=")
