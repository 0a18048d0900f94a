"""How well and how fast `yurt draft` does.

First, the classifier test: gradient boosting (scikit-learn, five-fold) tries to tell the rows of public tables, which
packages ship, from rows that are generated from their drafts. An AUC of 0.5 is a guess. Then time and memory for a
million rows of 20 columns, beside a plain script that looks at the same file with data frames, and beside a fast
library that only reads it. Run `python bench/drafting.py`, with `--tables` or `--speed` for one of the two.
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import pandas as pd

from throughput import PROGRAM, peak_memory

FOLDS, MOST_ROWS = 5, 5000
VISITS = """yurt: 1
seed: 1
today: 2026-06-01
records:
  visit:
    count: {rows}
    fields:
      id: sequence
      code: /[A-Z]{{2}}-\\d{{5}}/
      a1: integer 1..100
      a2: integer 900..3200, usually normal(2100, 420)
      a3: decimal 1.00..500.00, usually lognormal(40, 0.6)
      d1: date 2026-01-01..2026-12-31
      d2: date d1+1d..d1+14d, usually low
      t1: datetime 2026-01-01T00:00..2026-12-31T00:00
      c1: one of booked 55% | arrived 30% | left 10% | cancelled
      c2: one of a | b | c
      b1: boolean
      given: given-name
      family: family-name
      mail: email
      phone: tel
      city: city
      p1: decimal 18.00..95.00 step 0.50
      a4: integer 0..1000, usually exponential(90)
      a5: integer 1..12, usually geometric(0.45), missing 10%
      note: text 10..30
"""
FRAMES = (
    "import pandas as pd; f = pd.read_csv({name!r}); f.describe(include='all'); "
    "[f[each].value_counts() for each in f]; f.corr(numeric_only=True, method='spearman')"
)
READER = "from pyarrow import csv; csv.read_csv({name!r})"


def tables() -> dict[str, pd.DataFrame]:
    """Return public tables that scikit-learn and statsmodels ship."""
    from sklearn import datasets
    from statsmodels import datasets as more

    found = {}
    for name in ("iris", "wine", "breast_cancer", "diabetes"):
        loaded = getattr(datasets, f"load_{name}")(as_frame=True, **({"scaled": False} if name == "diabetes" else {}))
        found[name] = loaded.frame
    for name in ("fair", "anes96", "randhie", "modechoice", "ccard"):
        found[name] = getattr(more, name).load_pandas().data
    return {name: each.head(MOST_ROWS) for name, each in found.items()}


def _encoded(frame: pd.DataFrame) -> pd.DataFrame:
    """Return numbers as they are, and everything else as a number for each different value."""
    return frame.apply(lambda each: each if each.dtype.kind in "iufb" else pd.Series(pd.factorize(each)[0], each.index))


def auc(real: pd.DataFrame, drawn: pd.DataFrame) -> float:
    """Return how well real and drawn rows are told apart."""
    from sklearn.ensemble import HistGradientBoostingClassifier
    from sklearn.metrics import roc_auc_score
    from sklearn.model_selection import StratifiedKFold, cross_val_predict

    rows = _encoded(pd.concat([real, drawn], ignore_index=True)).to_numpy(dtype=np.float64)
    label = np.repeat([1, 0], [len(real), len(drawn)])
    folds = StratifiedKFold(FOLDS, shuffle=True, random_state=1)
    model = HistGradientBoostingClassifier(random_state=1)
    return float(roc_auc_score(label, cross_val_predict(model, rows, label, cv=folds, method="predict_proba")[:, 1]))


def measure_tables(folder: Path) -> None:
    """Print the AUC of single columns and of whole rows of each table."""
    print(f"{'table':15} {'rows':>6} {'columns':>8} {'single, median':>15} {'single, worst':>20} {'whole rows':>11}")
    single, whole = [], []
    for name, real in tables().items():
        real.to_csv(folder / f"{name}.csv", index=False)
        for words in (
            ["draft", f"{name}.csv", "--out", f"{name}.yaml"],
            ["generate", f"{name}.yaml", name, "--count", str(len(real)), "--seed", "11", "--out", f"{name}-drawn.csv"],
        ):
            subprocess.run([PROGRAM, *words], cwd=folder, check=True, capture_output=True)
        real, drawn = pd.read_csv(folder / f"{name}.csv"), pd.read_csv(folder / f"{name}-drawn.csv")
        own = {each: auc(real[[each]], drawn[[each]]) for each in real}
        worst = max(own, key=lambda each: abs(own[each] - 0.5))
        single.append(statistics.median(own.values()))
        whole.append(auc(real, drawn))
        print(f"{name:15} {len(real):>6,} {len(own):>8} {single[-1]:>15.3f} {f'{own[worst]:.3f} {worst}'[:20]:>20} "
              f"{whole[-1]:>11.3f}")  # fmt: skip
    medians = f"single columns {statistics.median(single):.3f}, whole rows {statistics.median(whole):.3f}"
    print(f"median over the tables: {medians}")


def measure_speed(folder: Path, rows: int) -> None:
    """Print time and memory for a large file."""
    (folder / "visit.yaml").write_text(VISITS.format(rows=rows))
    subprocess.run(
        [PROGRAM, "generate", "visit.yaml", "--out", "visit.csv"], cwd=folder, check=True, capture_output=True
    )
    took: dict[str, float] = {}
    for what, words in (
        ("yurt draft", [PROGRAM, "draft", str(folder / "visit.csv"), "--out", str(folder / "drafted.yaml")]),
        ("data frames", [sys.executable, "-c", FRAMES.format(name=str(folder / "visit.csv"))]),
        ("only read", [sys.executable, "-c", READER.format(name=str(folder / "visit.csv"))]),
    ):
        took[what], peak = peak_memory(*words)
        print(f"{what:12} {rows:,} rows, 20 columns: {took[what]:6.1f} s, {peak:,.0f} MB")
    print(f"yurt draft takes {took['yurt draft'] / took['data frames']:.1f} x the data frames, "
          f"{took['yurt draft'] / took['only read']:.0f} x reading alone")  # fmt: skip


def main(words: list[str]) -> None:
    """Measure what is asked for."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if "--speed" not in words:
            measure_tables(folder)
        if "--tables" not in words:
            measure_speed(folder, next((int(each) for each in words if each.isdecimal()), 1_000_000))


if __name__ == "__main__":
    main(sys.argv[1:])
