"""Unpacks the OCR engine's larger models from their npm packages beside Debian's, each verified by its checksum."""

from __future__ import annotations

import gzip
import hashlib
import sys
from pathlib import Path

from hyalen.core.model.found import Model
from hyalen.core.reading.engine import debian_directory, models_directory

PACKAGES = Path(__file__).parent.parent / "frontend/node_modules/@tesseract.js-data"
# What stands instead of Debian's model where it reads better at its cost (French, Arabic), or beside it, for
# lines that read badly (English): the name it gets, its language and the SHA-256 of the unpacked file, version 1.0.0.
MODELS = (
    ("ara", "ara", "e7d6494e2ef249ee97ad151eb01e0e6ae3aaf429256442ad6af534862a2a8c0f"),
    ("eng_fine", "eng", "5dc5d8d640a212c9d6184921ba103b186f50e0fed9ee716c53e6b312b400d747"),
    ("fra", "fra", "bf83833fa957ff0076f6aa93f69e3bdf7b014dea829ea0c0d6be6b48a3ceef6d"),
)
# Debian's models of whole scripts, trained otherwise than the language's own. Of 24 spoilt pages' doubtful words, those
# of which the further reading agreed and was wrong fell from 20 to 8 (Greek), 31 to 23 (Russian), 19 to 12 (Hebrew).
OTHERS = {"ell": "Greek", "heb": "Hebrew", "rus": "Cyrillic"}


def main() -> None:
    place = models_directory()
    place.mkdir(parents=True, exist_ok=True)
    for name, code, checksum in MODELS:
        target = place / f"{name}.traineddata"
        if target.is_file() and not target.is_symlink() and _sum(target.read_bytes()) == checksum:
            continue
        data = gzip.decompress((PACKAGES / code / "4.0.0_best_int" / f"{code}.traineddata.gz").read_bytes())
        if _sum(data) != checksum:
            sys.exit(f"the model of {code} is not the one that was measured; `npm ci` in frontend brings it anew")
        target.unlink(missing_ok=True)
        target.write_bytes(data)
    for model in debian_directory().glob("*.traineddata"):  # the engine takes all models from one place
        link = place / model.name
        _link(link, model)
    for code, script in OTHERS.items():
        _link(place / f"{code}_{Model.OTHER}.traineddata", debian_directory() / f"{script}.traineddata")


def _link(link: Path, model: Path) -> None:
    if not link.exists():
        link.unlink(missing_ok=True)
        link.symlink_to(model)


def _sum(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


if __name__ == "__main__":
    main()
