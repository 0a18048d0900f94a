"""Kinds of networks: addresses and links. All of them are set aside for documentation or private use."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import kind, pattern_kind

if TYPE_CHECKING:
    from yurt.core.engine.kind_world import World

pattern_kind(
    "ipv4", "net", "an IPv4 address",
    r"(192\.0\.2|198\.51\.100|203\.0\.113)\.([1-9]|[1-9][0-9]|1[0-9]{2}|2[0-4][0-9]|25[0-4])",
    source="RFC 791", safe="in the three blocks that RFC 5737 reserves for documentation",
)  # fmt: skip
pattern_kind(
    "ipv6", "net", "an IPv6 address", r"2001:db8(:[1-9a-f][0-9a-f]{0,3}){6}",
    source="RFC 5952", safe="in 2001:db8::/32, which RFC 3849 reserves for documentation",
)  # fmt: skip
pattern_kind(
    "mac", "net", "a hardware address", r"02(:[0-9a-f]{2}){5}",
    source="IEEE 802", safe="locally administered: no maker has it",
)  # fmt: skip


@kind("url", "net", "the address of a web page", source="RFC 3986", safe="in the domain .example (RFC 2606)")
def url(world: World) -> Any:
    host, page = world.pick("family-names", own=True).ascii("name"), world.pick("words", own=True).ascii("word")
    return world.join("https://www.", host, ".example/", page)
