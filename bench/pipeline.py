"""A scan through the workers' own steps: what is measured is what is delivered."""

from __future__ import annotations

from hyalen.core.formats.codecs import encode_png
from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import PageContent
from hyalen.core.model.treatment import Treatment
from hyalen.work import jobs


def scanned(scan: Image, dpi: float) -> jobs.Original:
    """Pixels as an original that loses nothing of them."""
    return jobs.Original(encode_png(scan), dpi, 0)


def clean(original: jobs.Original, language: str) -> jobs.CleanedImage:
    return jobs.clean(original, Treatment(), (language,))


def read(page: jobs.CleanedImage, language: str) -> PageContent:
    return jobs.read(page.read, page.cleaned.dpi, (language,)).content


def read_scan(scan: Image, dpi: float, language: str) -> PageContent:
    return read(clean(scanned(scan, dpi), language), language)
