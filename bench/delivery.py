"""Delivered pictures: what they weigh in each quality, how long they take, and whether they can be read as well again."""

from __future__ import annotations

import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from typing import NamedTuple

import cv2
import numpy as np

from bench import bare
from bench.proofing_pages import proof_page
from bench.text import error_rate
from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.format import DeliveryOptions, Quality, Tones
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.content import PageContent
from hyalen.core.model.treatment import Treatment
from hyalen.core.reading.upright import find_turn
from hyalen.demo.spoil import Spoiling, spoil
from hyalen.demo.typeset import typesetter
from hyalen.work.samples import Sheet, as_delivered, weights

SEEDS = range(20_000, 20_016)


class Measured(NamedTuple):
    sizes: dict[Quality, int]
    errors: dict[Quality, float]
    seconds: float  # to make the smallest one
    reading: float  # the engine's, of the cleaned page


def measure(set_in_type: Image, how: Spoiling, seed: int, language: str, true: str) -> Measured:
    """A page as it is cleaned, in each quality; read by the bare engine, which every delivered picture is the same to."""
    cv2.setNumThreads(1)
    dpi = 300.0
    scan = grey(spoil(set_in_type, dpi, how, seed=seed))
    turn = partial(find_turn, languages=(language,))
    page = grey(clean_page(scan, dpi, Treatment(), turn).read)
    content = PageContent(width=page.shape[1], height=page.shape[0], dpi=dpi)
    errors = {}
    with tempfile.NamedTemporaryFile() as file:
        file.write(encode_jpeg(page))
        file.flush()
        sheet = Sheet(file.name, content)
        sizes = weights([sheet], Tones.AS_IS)
        for quality in Quality:
            began = time.perf_counter()
            shown = decode(as_delivered(sheet, DeliveryOptions(quality=quality)))
            seconds = time.perf_counter() - began
            errors[quality] = error_rate(bare.read(shown, dpi, language), true)
        began = time.perf_counter()
        bare.read(page, dpi, language)
        return Measured(sizes, errors, seconds, time.perf_counter() - began)


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    with typesetter() as setter, ProcessPoolExecutor(workers) as pool:
        jobs = []
        for seed in SEEDS:
            page = proof_page(seed)
            made = setter.set(page.html, 300)
            true = " ".join(b.text for b in made.blocks)
            jobs.append(pool.submit(measure, made.image, page.how, seed, page.language, true))
        found = [job.result() for job in jobs]
    total = {q: sum(f.sizes[q] for f in found) for q in Quality}
    wrong = {q: float(np.mean([f.errors[q] for f in found])) for q in Quality}
    whole, smallest = Quality.AS_SCANNED, Quality.SMALLEST
    return [
        ("delivered pictures: smallest beside as scanned", f"{total[smallest] / total[whole]:.3f}", "", "0.12"),
        ("delivered pictures: balanced beside as scanned", f"{total[Quality.BALANCED] / total[whole]:.3f}", "", ""),
        (
            "delivered pictures: read again, smallest, beside as scanned",
            f"{wrong[smallest]:.4f}",
            f"{wrong[whole]:.4f}",
            "the same",
        ),
        (
            "delivered pictures: making the smallest beside reading",
            f"{sum(f.seconds for f in found) / sum(f.reading for f in found):.2f}",
            "",
            "0.15",
        ),
    ]
