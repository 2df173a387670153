"""The typefaces that pages are set in, each by the file of a named package.

A browser that is only told a family takes whatever this machine has under that name.
"""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from playwright.sync_api import BrowserContext, Route

ADDRESS = "https://faces.invalid/"
ROOT = Path("/usr/share/fonts")
NODE = Path(__file__).parents[2] / "frontend/node_modules"


class Face(NamedTuple):
    """One file, below `ROOT` or by its whole path; its package is named so that what is missing can be said."""

    family: str
    weight: int
    style: str
    file: str
    package: str


def _liberation(family: str) -> list[Face]:
    """Regular, bold and italics of a family of fonts-liberation."""
    cuts = (
        ("Regular", 400, "normal"),
        ("Bold", 700, "normal"),
        ("Italic", 400, "italic"),
        ("BoldItalic", 700, "italic"),
    )
    return [
        Face(
            f"Liberation {family}",
            weight,
            style,
            f"truetype/liberation/Liberation{family}-{cut}.ttf",
            "fonts-liberation",
        )
        for cut, weight, style in cuts
    ]


def _noto(family: str, italics: bool = False) -> list[Face]:
    """Regular and bold of a family of fonts-noto-core."""
    cuts = [("Regular", 400, "normal"), ("Bold", 700, "normal")]
    cuts += [("Italic", 400, "italic"), ("BoldItalic", 700, "italic")] if italics else []
    name = family.replace(" ", "")
    return [
        Face(f"Noto {family}", weight, style, f"truetype/noto/Noto{name}-{cut}.ttf", "fonts-noto-core")
        for cut, weight, style in cuts
    ]


def _typed(weight: int, style: str) -> Face:
    # Of the npm package: browsers refuse one of the files that Debian's package has.
    file = NODE / f"@fontsource/courier-prime/files/courier-prime-latin-{weight}-{style}.woff"
    return Face("Courier Prime", weight, style, str(file), "@fontsource/courier-prime (npm)")


def _garamond(cut: str, weight: int, style: str) -> Face:
    return Face("EB Garamond", weight, style, f"opentype/ebgaramond/EBGaramond12-{cut}.otf", "fonts-ebgaramond")


def _fraktur() -> Face:
    file = NODE / "@fontsource/unifrakturmaguntia/files/unifrakturmaguntia-latin-400-normal.woff"
    return Face("UnifrakturMaguntia", 400, "normal", str(file), "@fontsource/unifrakturmaguntia (npm)")


FACES = [
    *_liberation("Serif"),
    *_liberation("Sans"),
    *_liberation("Mono"),
    *_noto("Serif", italics=True),
    *_noto("Sans", italics=True),
    *(face for family in ("Naskh Arabic", "Sans Arabic", "Serif Hebrew", "Sans Hebrew") for face in _noto(family)),
    _typed(400, "normal"),
    _typed(700, "normal"),
    _typed(400, "italic"),
    _garamond("Regular", 400, "normal"),
    _garamond("Bold", 700, "normal"),
    _garamond("Italic", 400, "italic"),
    _fraktur(),
]

CSS = "\n".join(
    f"@font-face{{font-family:'{f.family}';font-weight:{f.weight};font-style:{f.style};src:url('{ADDRESS}{i}')}}"
    for i, f in enumerate(FACES)
)


def missing() -> list[str]:
    """The packages whose files are not there."""
    return sorted({f.package for f in FACES if not (ROOT / f.file).is_file()})


def serve(context: BrowserContext) -> None:
    """Answer a context's requests for the faces from their files, without any network."""

    def answer(route: Route) -> None:
        face = FACES[int(route.request.url.removeprefix(ADDRESS))]
        route.fulfill(path=ROOT / face.file, headers={"Access-Control-Allow-Origin": "*"})

    context.route(f"{ADDRESS}*", answer)
