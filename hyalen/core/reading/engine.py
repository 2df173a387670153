"""The OCR engine's adapter: a cleaned page in, blocks of lines of words out."""

from __future__ import annotations

import math
import os
import re
import unicodedata
from collections import OrderedDict
from collections.abc import Iterator
from enum import StrEnum
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

os.environ.setdefault("OMP_THREAD_LIMIT", "1")  # one thread a worker: pages, not lines, run side by side

import tesserocr
from PIL import Image as Pillow

from hyalen.core.imaging.pixels import Image, reduced
from hyalen.core.model.geometry import Box, Point

ENGINES_KEPT = 3
# The Arabic model loses whole lines at the usual resolution and reads them well below it (measured
# in bench/text.py: 0.16 of the characters are lost at 300 dpi on clean pages, 0.01 at 150).
FINEST_DPI = {"ara": 190.0}


class EngineError(RuntimeError):
    """The engine cannot be used as asked; the message says why and what to do."""


class BlockKind(StrEnum):
    """What the engine's layout analysis took a block for."""

    TEXT = "text"
    PICTURE = "picture"


class ReadWord(NamedTuple):
    """`confidence` 0 to 1."""

    text: str
    box: Box
    confidence: float
    language: str


class ReadLine(NamedTuple):
    """Words in logical order; `height` is the row's height in pixels."""

    words: tuple[ReadWord, ...]
    box: Box
    baseline: tuple[Point, Point]
    height: float


class ReadBlock(NamedTuple):
    """Lines from top to bottom."""

    kind: BlockKind
    box: Box
    lines: tuple[ReadLine, ...]


def data_directory() -> Path:
    """Where the engine's language data lies: TESSDATA_PREFIX or Debian's directory.

    Raises
    ------
    EngineError
        If there is none.
    """
    named = os.environ.get("TESSDATA_PREFIX")
    places = [Path(named)] if named else []
    places += [Path(f"/usr/share/tesseract-ocr/{v}/tessdata") for v in ("5", "4.00")]
    for place in places:
        if place.is_dir():
            return place
    raise EngineError("the OCR engine's language data is not installed; `make setup` installs it")


@cache
def installed_languages() -> tuple[str, ...]:
    """ISO 639-3 codes of the languages whose data is installed."""
    return tuple(sorted(p.stem for p in data_directory().glob("???.traineddata") if p.stem != "osd"))


_engines: OrderedDict[str, Any] = OrderedDict()


def engine_for(languages: str) -> Any:
    """The engine with these models loaded ("eng+fra", "osd", "Latin"); the last few are kept.

    Raises
    ------
    EngineError
        If a language's data is not installed.
    """
    if languages in _engines:
        _engines.move_to_end(languages)
        return _engines[languages]
    directory = data_directory()
    missing = [c for c in languages.split("+") if not (directory / f"{c}.traineddata").is_file()]
    if missing:
        raise EngineError(f"no data is installed for the language {', '.join(missing)}")
    try:
        api = tesserocr.PyTessBaseAPI(path=str(directory), lang=languages, psm=tesserocr.PSM.AUTO)
    except RuntimeError as error:
        raise EngineError(f"the OCR engine does not start for {languages}: {error}") from error
    _engines[languages] = api
    while len(_engines) > ENGINES_KEPT:
        _engines.popitem(last=False)[1].End()
    return api


_MIRRORED = str.maketrans("()[]{}<>«»", ")(][}{><»«")
_LEFT_TO_RIGHT_RUN = re.compile(r"[0-9A-Za-z٠-٩](?:[0-9A-Za-z٠-٩.,:/%-]*[0-9A-Za-z٠-٩])?")


def logical_order(text: str) -> str:
    """A word that the engine gives as its glyphs stand, left to right, in the order it is read.

    Only words with right-to-left letters change; numbers and Latin within them keep
    their direction and brackets are mirrored (UAX #9, rules L2 and L4).
    """
    if not any(unicodedata.bidirectional(c) in ("R", "AL") for c in text):
        return text
    turned = text[::-1].translate(_MIRRORED)
    return _LEFT_TO_RIGHT_RUN.sub(lambda run: run.group()[::-1], turned)


_PICTURES = {
    tesserocr.PT.FLOWING_IMAGE,
    tesserocr.PT.HEADING_IMAGE,
    tesserocr.PT.PULLOUT_IMAGE,
}


class Shape(StrEnum):
    """What the engine is told about the image's layout."""

    PAGE = "page"
    BLOCK = "block"
    LINE = "line"
    RAW_LINE = "raw_line"


_SEGMENTATION = {
    Shape.PAGE: tesserocr.PSM.AUTO,
    Shape.BLOCK: tesserocr.PSM.SINGLE_BLOCK,
    Shape.LINE: tesserocr.PSM.SINGLE_LINE,
    Shape.RAW_LINE: tesserocr.PSM.RAW_LINE,
}


def read_page(page: Image, dpi: float, languages: tuple[str, ...], shape: Shape = Shape.PAGE) -> list[ReadBlock]:
    """Recognize a cleaned page.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    languages : tuple of str
        ISO 639-3 codes, the likeliest first.
    shape : Shape
        A whole page, one column of text, one line, or one line whose ink is not analysed first.

    Raises
    ------
    EngineError
        If the engine cannot be used.
    """
    page, factor = reduced(page, dpi, min(FINEST_DPI.get(code, math.inf) for code in languages))
    dpi /= factor
    api = engine_for("+".join(languages))
    api.SetPageSegMode(_SEGMENTATION[shape])
    api.SetImage(Pillow.fromarray(page))
    api.SetSourceResolution(round(dpi))
    api.Recognize()
    try:
        blocks = list(_blocks(api.GetIterator(), languages[0]))
        return blocks if factor == 1.0 else [_enlarged(block, factor) for block in blocks]
    finally:
        api.Clear()


def _enlarged(block: ReadBlock, factor: float) -> ReadBlock:
    """The block in the pixels of the image before it was reduced."""

    def box(b: Box) -> Box:
        return Box(*(round(v * factor) for v in b))

    def line(each: ReadLine) -> ReadLine:
        start, end = each.baseline
        return ReadLine(
            tuple(w._replace(box=box(w.box)) for w in each.words),
            box(each.box),
            (Point(start.x * factor, start.y * factor), Point(end.x * factor, end.y * factor)),
            each.height * factor,
        )

    return ReadBlock(block.kind, box(block.box), tuple(line(each) for each in block.lines))


def _blocks(found: Any, language: str) -> Iterator[ReadBlock]:
    level = tesserocr.RIL
    if found is None:
        return
    found.Begin()
    block_box: Box | None = None
    kind = BlockKind.TEXT
    lines: list[ReadLine] = []
    words: list[ReadWord] = []
    line_box, baseline, height = Box(0, 0, 0, 0), (Point(0, 0), Point(0, 0)), 0.0
    while True:
        if found.IsAtBeginningOf(level.BLOCK):
            kind = BlockKind.PICTURE if found.BlockType() in _PICTURES else BlockKind.TEXT
            bounds = found.BoundingBox(level.BLOCK)
            block_box = Box(*bounds) if bounds else None
            lines = []
        if found.IsAtBeginningOf(level.TEXTLINE):
            words = []
            line_box = Box(*(found.BoundingBox(level.TEXTLINE) or (0, 0, 0, 0)))
            ends = found.Baseline(level.TEXTLINE)
            baseline = (
                (Point(*ends[0]), Point(*ends[1]))
                if ends
                else (Point(line_box.left, line_box.bottom), Point(line_box.right, line_box.bottom))
            )
            height = float(found.RowAttributes()["row_height"]) if words_follow(found) else 0.0
        if not found.Empty(level.WORD):
            text = logical_order((found.GetUTF8Text(level.WORD) or "").strip())
            box = found.BoundingBox(level.WORD)
            if text and box:
                confidence = max(0.0, min(1.0, found.Confidence(level.WORD) / 100))
                told = found.WordRecognitionLanguage() or language
                words.append(ReadWord(text, Box(*box), confidence, told))
        last_of_line = found.IsAtFinalElement(level.TEXTLINE, level.WORD)
        last_of_block = found.IsAtFinalElement(level.BLOCK, level.WORD)
        if last_of_line and words:
            lines.append(ReadLine(tuple(words), line_box, baseline, height or line_box.height))
        if last_of_block and block_box is not None:
            yield ReadBlock(kind, block_box, tuple(lines))
            block_box, lines = None, []
        if not found.Next(level.WORD):
            break


def words_follow(found: Any) -> bool:
    """Whether the iterator stands on text: row attributes exist only there."""
    return not found.Empty(tesserocr.RIL.WORD)
