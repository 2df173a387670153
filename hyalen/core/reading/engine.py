"""The OCR engine behind a `Reader`: pixels in, blocks of lines of words out."""

from __future__ import annotations

import math
import os
import re
import sys
import threading
import unicodedata
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any

import tesserocr

from hyalen.core.imaging.pixels import Image, reduced
from hyalen.core.languages import is_right_to_left
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord, Model, Shape, Style
from hyalen.core.model.geometry import Box, Point

ENGINES_KEPT = 3  # of other languages, idle: each holds its model in memory
# The Arabic model loses whole lines at the usual resolution and reads them well below it (measured
# in bench/text.py: 0.16 of the characters are lost at 300 dpi on clean pages, 0.01 at 150).
FINEST_DPI = {"ara": 190.0}


class EngineError(RuntimeError):
    """The engine cannot be used as asked; the message says why and what to do."""


def debian_directory() -> Path:
    """Where Debian's packages put the engine's language data, or what TESSDATA_PREFIX names.

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


def models_directory() -> Path:
    """Where `make setup` puts larger models, and links to all others beside them."""
    return Path(sys.prefix) / "share/hyalen/models"


def _named(code: str, model: Model) -> str:
    """What a language's model is called; its usual one where there is no other."""
    named = f"{code}_{model}" if model else code
    ours = not os.environ.get("TESSDATA_PREFIX") and (models_directory() / f"{named}.traineddata").is_file()
    return named if ours else code


def _code(named: str) -> str:
    """The language of a model (see `_named`)."""
    for model in (Model.FINER, Model.OTHER):
        named = named.removesuffix(f"_{model}")
    return named


def _directory(models: str) -> Path:
    """A place that holds all of the models: ours, else Debian's.

    Raises
    ------
    EngineError
        If a language's data is not installed; it names the package.
    """
    codes = models.split("+")
    places = [debian_directory()] if os.environ.get("TESSDATA_PREFIX") else [models_directory(), debian_directory()]
    for place in places:
        if all((place / f"{code}.traineddata").is_file() for code in codes):
            return place
    missing = [code for code in codes if not (places[-1] / f"{code}.traineddata").is_file()]
    packages = " ".join(f"tesseract-ocr-{code.replace('_', '-')}" for code in missing)
    raise EngineError(
        f'no data is installed for the language {", ".join(missing)}; `make languages CODES="{" ".join(missing)}"` '
        f"installs it (the Debian package {packages})"
    )


@cache
def installed_languages() -> tuple[str, ...]:
    """ISO 639-3 codes of the languages whose data is installed."""
    return tuple(sorted(p.stem for p in debian_directory().glob("???.traineddata") if p.stem != "osd"))


class _Engines:
    """Loaded engines by their models ("eng+fra", "osd", "Latin"); each is lent to one thread at a time.

    The engine is not safe to use from two threads, so a thread that finds all of a kind lent out gets a new one.
    """

    def __init__(self) -> None:
        self._idle: OrderedDict[int, tuple[str, Any]] = OrderedDict()
        self._lock = threading.Lock()

    @contextmanager
    def lent(self, models: str) -> Iterator[Any]:
        """An engine for the length of the block.

        Raises
        ------
        EngineError
            If a language's data is not installed.
        """
        api = self._take(models) or _loaded(models)
        try:
            yield api
        finally:
            api.Clear()
            self._put_back(models, api)

    def _take(self, models: str) -> Any | None:
        with self._lock:
            for key, (name, api) in reversed(self._idle.items()):
                if name == models:
                    del self._idle[key]
                    return api
        return None

    def _put_back(self, models: str, api: Any) -> None:
        with self._lock:
            self._idle[id(api)] = (models, api)
            ended = [self._idle.popitem(last=False)[1][1] for _ in range(len(self._idle) - ENGINES_KEPT)]
        for old in ended:
            old.End()


_engines = _Engines()


def _loaded(models: str) -> Any:
    directory = _directory(models)
    try:
        return tesserocr.PyTessBaseAPI(path=str(directory), lang=models, psm=tesserocr.PSM.AUTO)
    except RuntimeError as error:
        raise EngineError(f"the OCR engine does not start for {models}: {error}") from error


# Signs of money and shares keep to the figures they stand by (UAX #9, rule W5).
_LEFT_TO_RIGHT_RUN = re.compile(r"[%$€£°#]?[0-9A-Za-z٠-٩](?:[0-9A-Za-z٠-٩.,:/%-]*[0-9A-Za-z٠-٩])?[%$€£°#]?")


def logical_order(text: str, language: str) -> str:
    """A word that the engine gives as its glyphs stand, left to right, in the order it is read.

    Only words with right-to-left letters change, and in languages that are written so those without letters;
    numbers and Latin within them keep their direction (UAX #9, rule L2). The engine tells a bracket as it is read
    (an opening one stands to the right), not as its mirrored glyph looks.
    """
    kinds = {unicodedata.bidirectional(c) for c in text}
    if not kinds & {"R", "AL"} and ("L" in kinds or not is_right_to_left(language)):
        return text
    return _LEFT_TO_RIGHT_RUN.sub(lambda run: run.group()[::-1], text[::-1])


_PICTURES = {
    tesserocr.PT.FLOWING_IMAGE,
    tesserocr.PT.HEADING_IMAGE,
    tesserocr.PT.PULLOUT_IMAGE,
}


_SEGMENTATION = {
    Shape.PAGE: tesserocr.PSM.AUTO,
    Shape.BLOCK: tesserocr.PSM.SINGLE_BLOCK,
    Shape.LINE: tesserocr.PSM.SINGLE_LINE,
    Shape.RAW_LINE: tesserocr.PSM.RAW_LINE,
}


class TesseractReader:
    """The `Reader` that the OCR engine stands behind."""

    def languages(self) -> tuple[str, ...]:
        return installed_languages()

    def read_page(self, page: Image, dpi: float, languages: tuple[str, ...]) -> list[FoundBlock]:
        return self.read_region(page, dpi, languages, Shape.PAGE)

    def read_region(
        self,
        crop: Image,
        dpi: float,
        languages: tuple[str, ...],
        shape: Shape,
        model: Model = Model.USUAL,
        alphabet: str = "",
    ) -> list[FoundBlock]:
        """See `Reader`.

        Raises
        ------
        EngineError
            If the engine cannot be used.
        """
        crop, factor = reduced(crop, dpi, min(FINEST_DPI.get(code, math.inf) for code in languages))
        models = [_named(code, model) for code in languages]
        with _engines.lent("+".join(models)) as api:
            api.SetPageSegMode(_SEGMENTATION[shape])
            api.SetVariable("tessedit_char_whitelist", alphabet)
            _show(api, crop, dpi / factor)
            api.Recognize()
            blocks = list(_blocks(api.GetIterator(), languages[0]))
        return blocks if factor == 1.0 else [block.scaled(factor) for block in blocks]


ENGINE = TesseractReader()


def _show(api: Any, image: Image, dpi: float) -> None:
    """Show an engine a grey image, as bytes: by way of a picture file in memory it takes six times as long for a line."""
    height, width = image.shape
    api.SetImageBytes(image.tobytes(), width, height, 1, width)
    api.SetSourceResolution(round(dpi))


def script_turn(page: Image, dpi: float) -> tuple[int, float]:
    """Clockwise degrees that make the page upright, and the script detector's margin (log-likelihood ratio)."""
    with _engines.lent("osd") as api:
        api.SetPageSegMode(tesserocr.PSM.OSD_ONLY)
        _show(api, page, dpi)
        found = api.DetectOrientationScript()
    return (int(found["orient_deg"]), float(found["orient_conf"])) if found else (0, 0.0)


def _blocks(found: Any, language: str) -> Iterator[FoundBlock]:
    level = tesserocr.RIL
    if found is None:
        return
    found.Begin()
    block_box: Box | None = None
    kind = BlockKind.TEXT
    lines: list[FoundLine] = []
    words: list[FoundWord] = []
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
        word, shown = None, ""
        if not found.Empty(level.WORD):
            shown = (found.GetUTF8Text(level.WORD) or "").strip()
            box = found.BoundingBox(level.WORD)
            if shown and box:
                told = _code(found.WordRecognitionLanguage() or language)
                text = logical_order(shown, told)
                confidence = max(0.0, min(1.0, found.Confidence(level.WORD) / 100))
                word = FoundWord(text, Box(*box), confidence, told, style=_style(found))
        last_of_line = found.IsAtFinalElement(level.TEXTLINE, level.WORD)
        last_of_block = found.IsAtFinalElement(level.BLOCK, level.WORD)
        letters, goes_on = _letters(found)
        if word is not None:
            letters = letters if word.text == shown else letters[::-1]
            words.append(word._replace(letters=letters if len(letters) == len(word.text) else ""))
        if last_of_line and words:
            # What was read as nothing, beside the words, is not of the line.
            wide = line_box._replace(left=min(w.box.left for w in words), right=max(w.box.right for w in words))
            lines.append(FoundLine(tuple(words), wide, baseline, height or line_box.height))
        if last_of_block and block_box is not None:
            yield FoundBlock(kind, block_box, tuple(lines))
            block_box, lines = None, []
        if not goes_on:
            break


def _letters(found: Any) -> tuple[str, bool]:
    """A digit for each character of the word in hand, 9 where the engine is sure; goes on to the next word.

    Also whether there is a next word.
    """
    level, digits = tesserocr.RIL, ""
    while True:
        if not found.Empty(level.SYMBOL):
            sure = max(0, min(9, int(found.Confidence(level.SYMBOL) / 10)))
            digits += str(sure) * len(found.GetUTF8Text(level.SYMBOL) or "")
        if not found.Next(level.SYMBOL):
            return digits, False
        if found.IsAtBeginningOf(level.WORD):
            return digits, True


_STYLES = {
    "bold": Style.BOLD,
    "italic": Style.ITALIC,
    "underlined": Style.UNDERLINED,
    "smallcaps": Style.SMALL_CAPITALS,
}


def _style(found: Any) -> frozenset[Style]:
    """What the engine tells of how a word is set; its present models tell little."""
    told = found.WordFontAttributes() or {}
    return frozenset(style for name, style in _STYLES.items() if told.get(name))


def words_follow(found: Any) -> bool:
    """Whether the iterator stands on text: row attributes exist only there."""
    return not found.Empty(tesserocr.RIL.WORD)
