"""Shows the ink of doubtful words in Latin letters and figures to another model, the worst first."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import BY_REQUEST, EDGES, LATIN, is_right_to_left, read_as, script_of
from hyalen.core.layout.aligned import BY_INK
from hyalen.core.proofing.chance import Judged
from hyalen.core.proofing.placed import Placed
from hyalen.core.reading.recogniser import HEIGHT, Recognised, are_alike, recognise

LEAST = 0.005  # chance that a word is wrong
MOST = 9_000  # pixels a page, of words as wide as the model sees them: a second and a half
AROUND = 0.15  # of the line's height, that is shown above and below
BESIDE, OF_GAP = 0.5, 0.6  # of the line's height, that is shown beside a word at most, and of the white to the next
MIRRORED = str.maketrans("()[]«»", ")(][»«")


def recognised_words(page: Image, judged: Sequence[Judged], fallback: str) -> dict[str, Recognised]:
    """What the other model reads, by word id.

    Parameters
    ----------
    page : (h, w) uint8
    judged : sequence of Judged
        The page's words.
    fallback : str
        ISO 639-3 code of the language of blocks that tell none.
    """
    told: dict[str, Recognised] = {}
    left = float(MOST)
    for each in sorted(judged, key=lambda each: -each.chance):
        if left <= 0 or each.chance < LEAST:
            break
        placed = each.placed
        home = placed.word.language or placed.region.language or fallback
        if placed.word.settled or not _is_readable(placed.word.text, home):
            continue
        ink = _ink(page, placed)
        if ink.size == 0:
            continue
        left -= ink.shape[1] * HEIGHT / ink.shape[0]
        language = read_as(placed.word.text, home)
        read = recognise(ink, placed.word.text, language if any(map(str.isalpha, placed.word.text)) else LATIN)
        told[placed.word.id] = _in_order(read, placed.word.text) if is_right_to_left(home) else read
    return told


def _is_readable(text: str, home: str) -> bool:
    """Whether it is in Latin letters and figures, and in no type of old print, which the model knows not."""
    if home in BY_REQUEST or any(c in BY_INK for c in text) or not any(map(str.isalnum, text)):
        return False
    return all("0" <= c <= "9" or script_of(c) == "LATIN" for c in text if c.isalnum())


def _ink(page: Image, placed: Placed) -> Image:
    """A word as high as its line, with what no neighbour claims: a letter that its box lacks is seen, too."""
    box = placed.word.box
    height = max(placed.line.height, float(box.height))
    others = [w.box for w in placed.line.words if w.id != placed.word.id]
    left = min([BESIDE * height, *(max(1, OF_GAP * (box.left - o.right)) for o in others if o.left < box.left)])
    right = min([BESIDE * height, *(max(1, OF_GAP * (o.left - box.right)) for o in others if o.left > box.left)])
    around = int(AROUND * height + (height - box.height) / 2) + 1
    top, start = max(0, box.top - around), max(0, round(box.left - left))
    return page[top : max(0, box.bottom + around), start : max(0, round(box.right + right))]


def _in_order(read: Recognised, text: str) -> Recognised:
    """As it is read where lines run from right to left: the marks at its left end it, of which the ink alone tells nothing."""
    core = read.text.strip(EDGES + "%")
    if are_alike(read.text, text) or not core:
        return read
    start = read.text.index(core)
    before, after = read.text[:start], read.text[start + len(core) :]
    told = after[::-1].translate(MIRRORED) + core + before[::-1].translate(MIRRORED)
    return read._replace(text=told, odds=0.0 if core == text.strip(EDGES + "%") else read.odds)
