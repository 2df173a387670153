"""An HTML page as a tagged PDF (PDF/UA-1, ISO 14289-1), set by WeasyPrint."""

from __future__ import annotations

import io
from typing import Any

from PIL import ImageFile


def pdf_of(html: str | bytes) -> bytes:
    """The page as a PDF; nothing is fetched for it, but what it carries within itself is shown.

    Parameters
    ----------
    html : str or bytes
        A whole document with its title and language.
    """
    from weasyprint import HTML  # it loads a text-shaping library, for which few ask
    from weasyprint.urls import URLFetcher

    ImageFile.LOAD_TRUNCATED_IMAGES = False  # which it sets for all: damage would go unheard

    given: dict[str, Any] = {"string": html} if isinstance(html, str) else {"file_obj": io.BytesIO(html)}
    told: bytes = HTML(**given, url_fetcher=URLFetcher(allowed_protocols=("data",))).write_pdf(pdf_variant="pdf/ua-1")
    return told
