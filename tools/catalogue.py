"""Write what is made from the catalogue: the index of its kinds, and the page about them.

Run it after a kind was added: `python tools/catalogue.py`.
"""

from __future__ import annotations

import json
from pathlib import Path

from yurt.core.kinds.catalogue import KINDS

HERE = Path(__file__).resolve().parent.parent
INDEX = HERE / "src" / "yurt" / "core" / "kinds" / "index.json"


def index() -> str:
    """Return the index: the names of the kinds of every group, as they stand there."""
    groups: dict[str, list[str]] = {}
    for name, each in KINDS.read_all().items():
        groups.setdefault(each.group, []).append(name)
    lines = ",\n".join(f" {json.dumps(group)}: {json.dumps(names)}" for group, names in groups.items())
    return "{\n" + lines + "\n}\n"


if __name__ == "__main__":
    INDEX.write_text(index(), "utf-8")
    print(f"{len(KINDS.read_all())} kinds")
