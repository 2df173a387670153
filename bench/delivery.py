"""Delivered pictures: what they weigh in each quality, how long they take, and whether they can be read as well again."""

from __future__ import annotations

import tempfile
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from typing import NamedTuple

import cv2
import numpy as np
import pikepdf

from bench import bare
from bench.proofing_pages import proof_page
from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.format import DeliveryOptions, Quality, Tones
from hyalen.core.formats.pdf_image import page_image
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.content import PageContent
from hyalen.core.model.treatment import Treatment
from hyalen.core.read import read_content
from hyalen.core.reading.upright import find_turn
from hyalen.demo.spoil import Spoiling, spoil
from hyalen.demo.typeset import typesetter
from hyalen.work.samples import Sheet, as_delivered, weights

SEEDS = range(20_000, 20_016)


class Measured(NamedTuple):
    sizes: dict[Quality, int]
    errors: dict[Quality, float]  # read by ours
    bare: dict[Quality, float]  # by the bare engine
    seconds: float  # to make the smallest one
    reading: float  # the engine's, of the cleaned page
    jpeg: int  # of the page that is read as well as the smallest one


def measure(set_in_type: Image, how: Spoiling, seed: int, language: str, true: str) -> Measured:
    """A page as it is cleaned, in each quality, and read again."""
    cv2.setNumThreads(1)
    dpi = 300.0
    scan = grey(spoil(set_in_type, dpi, how, seed=seed))
    turn = partial(find_turn, languages=(language,))
    page = grey(clean_page(scan, dpi, Treatment(), turn).read)
    content = PageContent(width=page.shape[1], height=page.shape[0], dpi=dpi)
    errors, bare_errors = {}, {}
    with tempfile.NamedTemporaryFile() as file:
        file.write(encode_jpeg(page))
        file.flush()
        sheet = Sheet(file.name, content)
        sizes = weights([sheet], Tones.AS_IS)
        for quality in (Quality.AS_SCANNED, Quality.SMALLEST):
            shown = decode(as_delivered(sheet, DeliveryOptions(quality=quality)))
            errors[quality] = _missed(_read(shown, language), true)
            bare_errors[quality] = _missed(bare.read(shown, dpi, language), true)
    coded = encode_jpeg(page)
    began = time.perf_counter()
    page_image(pikepdf.new(), coded, content, DeliveryOptions(quality=Quality.SMALLEST))
    seconds = time.perf_counter() - began
    began = time.perf_counter()
    bare.read(page, dpi, language)
    reading = time.perf_counter() - began
    return Measured(
        sizes, errors, bare_errors, seconds, reading, _as_good(page, language, true, errors[Quality.SMALLEST])
    )


def _missed(told: str, true: str) -> float:
    """Share of the true words that are not among those that were read, wherever they stand: order is not the picture's."""
    wanted = Counter(true.split())
    return 1 - (wanted & Counter(told.split())).total() / max(1, wanted.total())


def _read(page: Image, language: str) -> str:
    return " ".join(w.text for w in read_content(page, 300.0, (language,)).words)


def _as_good(page: Image, language: str, true: str, errors: float) -> int:
    """Bytes of the smallest JPEG of the page that is read with no more errors."""
    for quality in (10, 20, 30, 50, 70):
        coded = encode_jpeg(page, quality)
        if _missed(_read(decode(coded), language), true) <= errors:
            return len(coded)
    return len(encode_jpeg(page))


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
    whole, smallest = Quality.AS_SCANNED, Quality.SMALLEST
    ours, bares = (
        {q: float(np.mean([e[q] for e in told])) for q in (whole, smallest)}
        for told in ([f.errors for f in found], [f.bare for f in found])
    )
    return [
        ("delivered pictures: smallest beside as scanned", f"{total[smallest] / total[whole]:.3f}", "", "0.12"),
        ("delivered pictures: balanced beside as scanned", f"{total[Quality.BALANCED] / total[whole]:.3f}", "", ""),
        (
            "delivered pictures: words missed when read again, smallest",
            f"{ours[smallest]:.4f}",
            f"{bares[smallest]:.4f}",
            "as scanned",
        ),
        (
            "delivered pictures: words missed when read again, as scanned",
            f"{ours[whole]:.4f}",
            f"{bares[whole]:.4f}",
            "",
        ),
        (
            "delivered pictures: smallest beside a JPEG that is read as well",
            f"{total[smallest] / sum(f.jpeg for f in found):.2f}",
            "",
            "0.6",
        ),
        (
            "delivered pictures: making the smallest beside reading",
            f"{sum(f.seconds for f in found) / sum(f.reading for f in found):.2f}",
            "",
            "0.15",
        ),
    ]
