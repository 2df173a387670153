"""Accuracy: skew, turn and characters on pages of known text, the bare engine beside."""

from __future__ import annotations

import time
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

from rapidfuzz.distance import Levenshtein

from bench import bare, pipeline
from bench.material import Case, text_cases
from bench.proofing_pages import exact, wrong_words
from hyalen.core.imaging.pixels import Image
from hyalen.core.proofing.doubts import Stage, page_doubts
from hyalen.core.proofing.placed import proofed_words
from hyalen.core.structure.flow import flow
from hyalen.demo.spoil import spoil
from hyalen.demo.typeset import typesetter


@dataclass(frozen=True)
class Measured:
    case: Case
    ours: float
    bare: float
    skew_error: float | None
    upright: bool
    seconds: tuple[float, float, float]
    words: int
    wrong: int
    flagged: int
    caught: int


def error_rate(found: str, true: str) -> float:
    """Edit distance over the true length, white space folded (ISRI's character accuracy)."""
    found, true = " ".join(found.split()), " ".join(true.split())
    return Levenshtein.distance(found, true) / len(true)


def measure(case: Case, scan: Image, true: str) -> Measured:
    original = pipeline.scanned(scan, case.dpi)
    start = time.perf_counter()
    page = pipeline.clean(original, case.language)
    cleaning = time.perf_counter()
    content = pipeline.read(page, case.language)
    reading = time.perf_counter()
    text = "\n\n".join(block.text for block in flow([content], case.language))
    theirs = bare.read(scan, case.dpi, case.language)
    done = time.perf_counter()
    words = proofed_words(content)
    told = wrong_words(words, true, exact)
    wrong = {p.word.id for p, is_wrong in zip(words, told, strict=True) if is_wrong}
    flagged = {d.word_id for d in page_doubts(content) if d.stage is Stage.PROOF}
    return Measured(
        case,
        error_rate(text, true),
        error_rate(theirs, true),
        None if case.how.curl or case.how.corners else abs(page.cleaned.skew - case.how.skew),
        page.cleaned.turn == (360 - case.how.turn) % 360,
        (cleaning - start, reading - cleaning, done - reading),
        len(words),
        len(wrong),
        len(flagged),
        len(wrong & flagged),
    )


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    with typesetter() as setter:
        prepared = [(case, case.set(setter)) for case in text_cases()]
    with ProcessPoolExecutor(workers) as pool:
        jobs = []
        for i, (case, page) in enumerate(prepared):
            reverse = prepared[(i + 1) % len(prepared)][1].image if case.how.show_through else None
            scan = spoil(page.image, case.dpi, case.how, seed=7, reverse=reverse)
            jobs.append(pool.submit(measure, case, scan, page.text))
        results = [job.result() for job in jobs]
    rows = []
    by_kind: dict[str, list[Measured]] = defaultdict(list)
    for r in results:
        by_kind[r.case.name].append(r)
    for name, group in by_kind.items():
        rows.append((f"characters wrong, {name}", _mean(r.ours for r in group), _mean(r.bare for r in group), ""))
    spoilt = [r for r in results if r.case.name != "clean"]
    ours, theirs = sum(r.ours for r in spoilt) / len(spoilt), sum(r.bare for r in spoilt) / len(spoilt)
    rows.append(("characters wrong, all spoilt", f"{ours:.4f}", f"{theirs:.4f}", f"0.015; a tenth: {theirs / 10:.4f}"))
    worse = [r for r in by_kind["clean"] if r.ours > r.bare + 1e-9]
    rows.append(("clean pages read worse than bare", str(len(worse)), "", "0"))
    for r in worse:
        rows.append((f"    {r.case.language}", f"{r.ours:.4f}", f"{r.bare:.4f}", ""))
    errors = [r.skew_error for r in results if r.skew_error is not None]
    within = sum(e <= 0.1 for e in errors) / len(errors)
    rows.append(("skew error, degrees; within 0.1", f"{sum(errors) / len(errors):.3f}; {within:.0%}", "", "0.03; 96%"))
    rows.append(("turn found", f"{sum(r.upright for r in results)} of {len(results)}", "", "99%"))
    words, wrong = sum(r.words for r in results), sum(r.wrong for r in results)
    flagged, caught = sum(r.flagged for r in results), sum(r.caught for r in results)
    rows.append(
        ("wrong words among the doubts; flagged", f"{caught / max(1, wrong):.0%}; {flagged / words:.1%}", "", "95%; 6%")
    )
    cleaning, reading, engine = (sum(r.seconds[i] for r in results) for i in range(3))
    rows.append(
        ("time of cleaning, of reading, against bare", f"{cleaning / engine:.2f}, {reading / engine:.2f}", "1", "0.5, ")
    )
    return rows


def _mean(values: object) -> str:
    listed = list(values)  # type: ignore[call-overload]
    return f"{sum(listed) / len(listed):.4f}"
