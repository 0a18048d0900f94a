"""Run every command in the documents, and replace the output shown there with the current output.

Run `python tools/doc_examples.py` when the output of a command changes, then read the difference. A block that ends
with `…` keeps its number of lines.
"""

from __future__ import annotations

import os
import re
import shlex
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PAGES = sorted([ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")])
BLOCK = re.compile(r"(?<=^```console\n)(.*?)(?=^```$)", re.MULTILINE | re.DOTALL)
TEMPLATE = re.compile(r"^```(?:jinja|yaml|csv|text) (\S+\.\w+)\n(.*?)^```$", re.MULTILINE | re.DOTALL)
PROGRAM = Path(sys.executable).with_name("yurt")
MORE = "…"


def printed(line: str, folder: str) -> list[str]:
    """Return the lines that a command prints: standard output, then standard error."""
    arguments = shlex.split(line)[1:] + (["--force"] if line == "yurt demo" else [])
    environment = {**os.environ, "COLUMNS": "100"}
    done = subprocess.run(  # noqa: S603 - our own documents
        [PROGRAM, *arguments], cwd=folder, capture_output=True, env=environment, check=True
    )
    return (done.stdout + done.stderr).decode().replace("\r", "").splitlines()


def renewed(block: re.Match[str]) -> str:
    """Return a block with the current output of its commands."""
    found = []
    with tempfile.TemporaryDirectory() as folder:
        printed("yurt demo", folder)
        for page in PAGES:
            for template in TEMPLATE.finditer(page.read_text("utf-8")):
                (Path(folder) / template[1]).write_text(template[2], "utf-8")
        for command in re.split(r"^\$ ", block[1], flags=re.MULTILINE)[1:]:
            line, *shown = command.splitlines()
            lines = printed(line, folder)
            cut = shown[-1:] == [MORE]
            found += [f"$ {line}", *(lines[: len(shown) - 1] if cut else lines), *([MORE] if cut else [])]
    return "\n".join(found) + "\n"


for page in PAGES:
    text = page.read_text("utf-8")
    page.write_text(BLOCK.sub(renewed, text), "utf-8")
