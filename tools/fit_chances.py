"""Fits `hyalen/core/proofing/chances.json`: `REAL_PAGES=DIR python -m tools.fit_chances [PAGES]`.

Reading the pages takes half an hour, fitting a minute: their words' evidence is kept, and `python -m tools.fit_chances
again` fits the same words with other numbers.

Pages are made from seeds, read, and their words compared with what was set; spoilt real scans are compared with what
is read on the scans as they are. Words that were read once more count a second time as they were before that: from
these chances it is told which ones are read once more. Pages of other seeds and other scans, which are in no way part of it, are for
`python -m bench doubts`.
"""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import HistGradientBoostingClassifier

import hyalen.core.proofing.chance as chance
from bench.doubts import TRAINING, Labelled, labelled_pages, real_training
from hyalen.core.proofing.evidence import FEATURES, IN_DOCUMENT, MOST_COUNTED, evidence
from hyalen.core.proofing.placed import core_of
from hyalen.work.workers import default_workers

OUT = Path(chance.__file__).with_name(chance.NUMBERS)
KEPT = Path("var/chances.npz")
FURTHER = [i for i, name in enumerate(FEATURES) if name.startswith(("second", "recognised"))]
BEFORE = 0.3  # what a word counts as it was before it was read once more
TREES, LEAVES, RATE, LEAST, SEEN = 500, 31, 0.05, 20, 0.5


def fit(rows: NDArray[np.float32], wrong: NDArray[np.bool_]) -> dict[str, Any]:
    """The model's numbers, from words' evidence and which of them are wrong."""
    further = rows[:, FURTHER].any(axis=1)
    before = rows[further]
    before[:, FURTHER] = 0
    weights = np.r_[np.ones(len(rows)), np.full(len(before), BEFORE)]
    made = HistGradientBoostingClassifier(
        max_iter=TREES, max_leaf_nodes=LEAVES, learning_rate=RATE, min_samples_leaf=LEAST, l2_regularization=1.0,
        max_features=SEEN, random_state=0, early_stopping=False,
    ).fit(np.vstack([rows, before]), np.r_[wrong, wrong[further]], sample_weight=weights)  # fmt: skip
    return numbers(made)


def numbers(made: HistGradientBoostingClassifier) -> dict[str, Any]:
    """A fitted model as `model_of` takes it."""
    trees = []
    for (predictor,) in made._predictors:
        nodes = predictor.nodes
        leaf = nodes["is_leaf"].astype(bool)
        own = np.arange(len(nodes))
        trees.append(
            {
                "feature": np.where(leaf, 0, nodes["feature_idx"]).tolist(),
                "threshold": [round(float(v), 6) for v in np.where(leaf, 0.0, nodes["num_threshold"])],
                "left": np.where(leaf, own, nodes["left"]).tolist(),
                "right": np.where(leaf, own, nodes["right"]).tolist(),
                "value": [round(float(v), 6) for v in np.where(leaf, nodes["value"], 0.0)],
            }
        )
    base = round(float(made._baseline_prediction.ravel()[0]), 6)
    return {"features": list(FEATURES), "base": base, "trees": trees}


def _rows(page: Labelled) -> NDArray[np.float32]:
    """All evidence of a page, what its document says too."""
    rows = evidence(page.content, page.words)
    said = [page.known.count(core_of(p.word.text).casefold()) for p in page.words]
    rows[:, IN_DOCUMENT] = np.minimum(said, MOST_COUNTED)
    return rows


def keep(count: int) -> None:
    """Read pages of so many training seeds and the variants of scans, and keep their words' evidence."""
    # The scans first: what goes wrong on real pages is met within minutes.
    pages = real_training(Path(os.environ["REAL_PAGES"]), default_workers())
    pages += labelled_pages(list(TRAINING)[:count], default_workers())
    KEPT.parent.mkdir(exist_ok=True)
    np.savez_compressed(
        KEPT,
        rows=np.vstack([_rows(page) for page in pages]),
        wrong=np.concatenate([page.wrong for page in pages]),
        page=np.repeat(np.arange(len(pages)), [len(page.words) for page in pages]),
    )


def main() -> None:
    told = sys.argv[1] if len(sys.argv) > 1 else str(len(TRAINING))
    if told != "again":
        keep(int(told))
    with np.load(KEPT) as kept:
        rows, wrong, pages = kept["rows"], kept["wrong"], kept["page"].max() + 1
    OUT.write_text(json.dumps(fit(rows, wrong), separators=(",", ":")) + "\n", "utf8")
    print(f"{OUT.name}: {pages} pages, {len(wrong)} words")


if __name__ == "__main__":
    main()
