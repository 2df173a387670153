"""The engine by itself, straight on the spoilt page: what our measures are held against."""

from __future__ import annotations

import os
import sys
from pathlib import Path

os.environ.setdefault("OMP_THREAD_LIMIT", "1")

import tesserocr
from PIL import Image as Pillow

from hyalen.core.imaging.pixels import Image
from hyalen.core.reading.engine import debian_directory

_engines: dict[str, tesserocr.PyTessBaseAPI] = {}


def read(image: Image, dpi: float, language: str) -> str:
    """The engine's own text with its own page segmentation, told the language and the resolution."""
    if language not in _engines:
        _engines[language] = tesserocr.PyTessBaseAPI(
            path=str(debian_directory()), lang=language, psm=tesserocr.PSM.AUTO
        )
    api = _engines[language]
    api.SetImage(Pillow.fromarray(image))
    api.SetSourceResolution(round(dpi))
    text: str = api.GetUTF8Text()
    return text


def read_file(path: str, language: str, out: str) -> None:
    """A file to a text file, as the engine's own command does."""
    import numpy as np

    with Pillow.open(path) as picture:
        text = read(np.asarray(picture.convert("RGB")), float(picture.info.get("dpi", (300, 300))[0]), language)
    Path(out).write_text(text, "utf8")


if __name__ == "__main__":
    for each in sys.argv[3:]:
        read_file(each, sys.argv[1], str(Path(sys.argv[2]) / f"{Path(each).stem}.txt"))
