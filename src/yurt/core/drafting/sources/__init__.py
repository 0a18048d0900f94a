"""Structures that say what is allowed, one module each. A module holds one `SOURCE`; `registry` finds them."""
