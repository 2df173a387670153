"""An HTML page as a tagged PDF (PDF/UA-1, ISO 14289-1), set by WeasyPrint."""

from __future__ import annotations

from typing import Any, NoReturn


def pdf_of(html: str) -> bytes:
    """The page as a PDF; nothing is fetched for it.

    Parameters
    ----------
    html : str
        A whole document with its title and language.
    """
    from weasyprint import HTML  # it loads a text-shaping library, for which few ask

    told: bytes = HTML(string=html, url_fetcher=_nothing).write_pdf(pdf_variant="pdf/ua-1")
    return told


def _nothing(url: str, *_: Any, **__: Any) -> NoReturn:
    raise ValueError(f"{url} is not fetched")
