"""What holds for every format: the same bytes with any number of workers, and every text in every file that is read."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import duckdb
import pandas as pd
import pyarrow as pa
import pytest
import yaml

from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FILE_FORMATS, FORMATS
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source
from yurt.core.writing import runs
from yurt.core.writing.output import Given, Output

from .test_formats import HOSTILE
from .test_settings import ITEMS, schema

# Settings without which a format makes nothing.
NEEDED = {"fixed": {"layout": "id 6, text 12, beds 5 right"}}


@pytest.mark.parametrize("kind", FILE_FORMATS)
def test_workers_never_change_the_bytes(kind: str, monkeypatch: Any, tmp_path: Path) -> None:
    monkeypatch.setattr(runs, "BLOCK", 64)
    own = tmp_path / "own"
    own.write_text("{% block records %}{% for hut in records %}{{ hut.id }} {{ hut.text }}\n{% endfor %}{% endblock %}")
    chosen = {**NEEDED.get(kind, {}), **({"template": str(own)} if kind == "template" else {})}
    found, _ = read(Source("s", schema("one of a | bc | def")))
    output = Output(found, tuple(Given("", name, value) for name, value in chosen.items()))
    made = set()
    for workers in (1, 2, 4):
        out = io.BytesIO()
        run = Run(output.dressed({"hut": kind}), RunOptions(seed=1))
        runs.write(run, "hut", (0, 400), output.format(kind, "hut"), out, workers)
        made.add(out.getvalue())
    assert len(made) == 1 and len(made.pop()) > 400


@pytest.mark.parametrize("kind", ["parquet", "arrow", "yaml", "jsonl", "json"])
def test_every_text_arrives(kind: str, yurt: Any, tmp_path: Path) -> None:
    assert len(set(HOSTILE)) >= 80
    (tmp_path / "s.yaml").write_text(schema(f"one of {ITEMS}"), "utf-8")
    wanted = [each["text"] for each in json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)]
    assert len(set(wanted)) >= 75
    path = tmp_path / f"hut{FORMATS[kind].suffix}"
    yurt("generate", "s.yaml", "--out", path)
    if kind == "parquet":
        assert list(pd.read_parquet(path)["text"]) == wanted
        assert [row[0] for row in duckdb.sql(f"select text from '{path}'").fetchall()] == wanted
    elif kind == "arrow":
        assert pa.ipc.open_file(path.read_bytes()).read_all()["text"].to_pylist() == wanted
    elif kind == "yaml":
        assert [each["text"] for each in yaml.safe_load(path.read_text("utf-8"))] == wanted
    else:
        frame = pd.read_json(path, lines=kind == "jsonl", dtype=False, convert_dates=False)
        assert list(frame["text"]) == wanted
    assert "400 hut rows, all valid" in yurt("verify", "s.yaml", path).stdout.decode()
