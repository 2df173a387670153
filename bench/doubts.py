"""Doubts about words: how many of the wrong ones are caught, and whether chances come true, on pages that fitted nothing."""

from __future__ import annotations

import json
import os
import tempfile
from collections import Counter
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from bench import pipeline
from bench.proofing_pages import ProofPage, document_of, exact, plain, proof_page, worn_page, wrong_words
from bench.real import run as real
from bench.real.variants import made_variant
from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import PageContent
from hyalen.core.proofing.chance import judge
from hyalen.core.proofing.evidence import Known
from hyalen.core.proofing.placed import Placed, core_of, proofed_words
from hyalen.demo.typeset import typesetter

TEXTS = Path(real.__file__).with_name("texts.json")
TRAINING = range(240)
TESTING = range(10_000, 10_060)
WORN_TESTING = range(60_000, 60_024)
AT_ONCE = 24  # pages that are made before they are read
FLAGGED, CAUGHT = 0.06, 0.95  # of all words; of the wrong ones
# Scans that are read next to faultlessly as they are: what their variants are told by, in fitting.
WELL_READ = ("feyn.tif", "keystone.png", "pageseg1.tif", "pageseg3.tif", "witten.tif", "words.15.tif")
FITTED_VARIANTS = ("150 dpi", "100 dpi", "150 dpi, one bit", "on film", "JPEG 25", "turned by 7 degrees")
REAL_VARIANTS = ("as it is", "150 dpi", "JPEG 25", "turned by 7 degrees")


class Labelled(NamedTuple):
    """A page that was read, its words, which of them are wrong, and which of these in letters or figures."""

    content: PageContent
    words: list[Placed]
    wrong: NDArray[np.bool_]
    misread: NDArray[np.bool_]
    register: bool = False
    known: Known = Known()

    @classmethod
    def of(cls, content: PageContent, true: str, register: bool = False) -> Labelled:
        """Against the text that stands on the page."""
        words = proofed_words(content)
        wrong, misread = (np.array(wrong_words(words, true, each), dtype=bool) for each in (exact, plain))
        return cls(content, words, wrong, misread, register)


def read_page(image: Image, page: ProofPage, true: str, seed: int) -> Labelled:
    cv2.setNumThreads(1)
    scan = page.scan(image, seed)
    content = pipeline.read_scan(scan, page.dpi, page.language)
    return Labelled.of(content, true, page.register)


def labelled_pages(seeds: Sequence[int], workers: int, make: Callable[[int], ProofPage] = proof_page) -> list[Labelled]:
    """Pages of these seeds that have words."""
    done: list[Labelled] = []
    with typesetter() as setter, ProcessPoolExecutor(workers) as pool:
        waiting = []
        for seed in seeds:
            page = make(seed)
            made = setter.set(page.html, page.dpi)
            image = made.image if page.worn is None else setter.set(page.worn, page.dpi).image
            waiting.append(pool.submit(read_page, image, page, " ".join(b.text for b in made.blocks), seed))
            if len(waiting) >= AT_ONCE:
                done += [job.result() for job in waiting]
                waiting = []
        done += [job.result() for job in waiting]
    return with_documents(list(zip(seeds, done, strict=True)))


def with_documents(pages: list[tuple[int, Labelled]]) -> list[Labelled]:
    """Pages that have words, with how often the other pages of their document say each."""
    said: dict[int, Counter[str]] = {}
    own = {seed: Counter(core_of(p.word.text).casefold() for p in page.words) for seed, page in pages}
    for seed, counts in own.items():
        said.setdefault(document_of(seed), Counter()).update(counts)

    def known(seed: int) -> Known:
        others = said[document_of(seed)] - own[seed]
        return Known(count=lambda core: others[core])

    return [page._replace(known=known(seed)) for seed, page in pages if page.words]


def real_training(folder: Path, workers: int) -> list[Labelled]:
    """Variants of well-read scans, against what is read on the scans themselves, which is not quite free of wrong words."""
    with ProcessPoolExecutor(workers) as pool:
        paths = [folder / name for name in WELL_READ]
        texts = pool.map(_text_of, paths)
        jobs = [
            pool.submit(real_page, path, text, variant)
            for path, text in zip(paths, texts, strict=True)
            for variant in FITTED_VARIANTS
        ]
        return [page for job in jobs if (page := job.result()) is not None and page.words]


def _text_of(path: Path) -> str:
    content = real.read_page(path, real.language_of(path.name))
    return "\n".join(line.text for r in content.everything for line in r.all_lines)


def caught(chances: NDArray[np.float64], wrong: NDArray[np.bool_], share: float = FLAGGED) -> float:
    """Of the wrong words, how many are among the most doubtful `share` of all."""
    order = np.argsort(-chances, kind="stable")[: round(share * len(chances))]
    return float(wrong[order].sum() / max(1, wrong.sum()))


def flagged_for(chances: NDArray[np.float64], wrong: NDArray[np.bool_], share: float = CAUGHT) -> float:
    """How many words, the most doubtful first, must be looked at for `share` of the wrong ones."""
    found = np.cumsum(wrong[np.argsort(-chances, kind="stable")])
    return float((np.searchsorted(found, share * wrong.sum()) + 1) / len(chances)) if wrong.any() else 0.0


def calibration_error(chances: NDArray[np.float64], wrong: NDArray[np.bool_], bins: int = 10) -> float:
    """Expected calibration error: the mean gap between chance and share, over bins of like chances.

    Naeini, Cooper and Hauskrecht, "Obtaining well calibrated probabilities using Bayesian binning", AAAI 2015.
    """
    at = np.minimum((chances * bins).astype(int), bins - 1)
    gaps = [
        abs(chances[at == b].mean() - wrong[at == b].mean()) * np.mean(at == b) for b in range(bins) if np.any(at == b)
    ]
    return float(np.sum(gaps))


def measures(pages: list[Labelled], name: str) -> list[tuple[str, str, str, str]]:
    each = [np.array([j.chance for j in judge(p.content, p.known)]) for p in pages]
    chances, wrong = np.concatenate(each), np.concatenate([p.wrong for p in pages])
    misread = np.concatenate([p.misread for p in pages])
    off = [abs(c.sum() - p.wrong.sum()) for c, p in zip(each, pages, strict=True)]
    expected = f"{chances.sum():.0f} of {wrong.sum()}, a page off by {np.mean(off):.1f}"
    most = f"{FLAGGED:.0%} most doubtful"
    # Where more words are wrong than are flagged, not all of them can be among those.
    reach = f"{CAUGHT}; at most {min(1.0, FLAGGED / wrong.mean()):.2f}"
    return [
        (f"doubts, {name}: {len(pages)} pages, {len(wrong)} words, wrong", f"{wrong.mean():.4f}", "", ""),
        (f"doubts, {name}: wrong words among the {most}", f"{caught(chances, wrong):.3f}", "", reach),
        (f"doubts, {name}: those wrong in letters or figures", f"{caught(chances, misread):.3f}", "", "0.95"),
        (f"doubts, {name}: flagged to catch 95 %", f"{flagged_for(chances, wrong):.3f}", "", "0.06"),
        (f"doubts, {name}: Brier score", f"{np.mean((chances - wrong) ** 2):.4f}", "", ""),
        (f"doubts, {name}: expected calibration error", f"{calibration_error(chances, wrong):.4f}", "", "0.01"),
        (f"doubts, {name}: expected and true errors", expected, "", "within 20 %"),
    ]


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    pages = labelled_pages(TESTING, workers)
    rows = measures([p for p in pages if not p.register], "generated prose")
    rows += measures([p for p in pages if p.register], "generated registers")
    rows += measures(labelled_pages(WORN_TESTING, workers, worn_page), "generated worn type")
    folder = os.environ.get("REAL_PAGES")
    if not folder:
        return [*rows, ("doubts, real (REAL_PAGES names no folder)", "left out", "", "")]
    texts = {Path(folder) / name: text for name, text in json.loads(TEXTS.read_text("utf8")).items()}
    texts |= {p.with_suffix(".tif"): p.read_text("latin1") for p in Path(folder).glob("*.txt")}
    with ProcessPoolExecutor(workers) as pool:
        jobs = [pool.submit(real_page, *each, variant) for each in texts.items() for variant in REAL_VARIANTS]
        found = [page for job in jobs if (page := job.result()) is not None and page.words]
    return rows + measures(found, "real")


def real_page(path: Path, true: str, variant: str) -> Labelled | None:
    """A real scan of known text, or what might have become of it; None where it has no such variant."""
    if variant == REAL_VARIANTS[0]:
        return Labelled.of(real.read_page(path, real.language_of(path.name)), true)
    with tempfile.TemporaryDirectory() as name:
        made = made_variant(path, variant, Path(name))
        return None if made is None else Labelled.of(real.read_page(made, real.language_of(path.name)), true)
