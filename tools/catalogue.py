"""Write what is made from the catalogue: the index of its kinds, their examples, and the page about them.

Run it after a kind or a list was added: `python tools/catalogue.py`. With `--check` it writes nothing, and ends with 1
when a file is not as it should be.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from yurt.core.kinds import examples as engine
from yurt.core.kinds.catalogue import KINDS, locales

HERE = Path(__file__).resolve().parent.parent
KINDS_FOLDER = HERE / "src" / "yurt" / "core" / "kinds"
# The groups in the order in which the catalogue shows them, with their titles.
GROUPS = {
    "persons": "Persons", "work": "Work", "places": "Places", "net": "Contact and net", "money": "Money",
    "trade": "Trade", "identifiers": "Identifiers that countries give", "text": "Text", "things": "Things",
    "dates": "Dates and times", "technical": "Technical", "records": "Ready records",
}  # fmt: skip
COMMON, OF_LOCALE = 6, 4


def main() -> int:
    """Write or check every file; return the exit code."""
    check = "--check" in sys.argv
    KINDS.read_all()
    wrong = []
    for path, text in files().items():
        if check and (not path.is_file() or path.read_text("utf-8") != text):
            wrong.append(path)
        elif not check:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, "utf-8")
    for path in wrong:
        print(f"{path.relative_to(HERE)} is not up to date: run `python tools/catalogue.py`")
    return 1 if wrong else 0


def files() -> dict[Path, str]:
    """Return every file with its text."""
    found = {KINDS_FOLDER / "index.json": _json(index())}
    # The engine looks the kinds up in the index.
    if not (KINDS_FOLDER / "index.json").is_file() or set(KINDS) != set(KINDS.read_all()):
        (KINDS_FOLDER / "index.json").write_text(_json(index()), "utf-8")
        KINDS.forget_index()
    shown = KINDS_FOLDER / "shown"
    plain = [name for name in KINDS if not KINDS[name].about]
    agreeing = [name for name in KINDS if KINDS[name].about]
    common = engine.examples(plain, "en-GB", COMMON)
    found[shown / "common.json"] = _json(common)
    found[shown / "ranges.json"] = _json(
        {name: [engine.room(KINDS[name]), engine.allowed(KINDS[name])] for name in KINDS}
    )
    by_locale = {locale: engine.examples(agreeing, locale, OF_LOCALE) for locale in locales()}
    for locale, made in by_locale.items():
        found[shown / f"{locale}.json"] = _json(made)
    return found


def index() -> dict[str, list[str]]:
    """Return the names of the kinds of every group, as they stand there."""
    groups: dict[str, list[str]] = {name: [] for name in GROUPS}
    for name, each in KINDS.read_all().items():
        groups[each.group].append(name)
    return {name: names for name, names in groups.items() if names}


def _json(data: dict[str, Any]) -> str:
    lines = (
        f" {json.dumps(key, ensure_ascii=False)}: {json.dumps(value, ensure_ascii=False)}"
        for key, value in data.items()
    )
    return "{\n" + ",\n".join(lines) + "\n}\n"


if __name__ == "__main__":
    sys.exit(main())
