"""Words in Latin letters within lines of other scripts."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.read import read_content
from hyalen.core.reading.latin import as_seen, in_reading_order, with_latin_words
from hyalen.demo.typeset import Typesetter
from tests.readers import Asked, PartReader

TEXTS = {
    "rus": ("Каждый человек имеет право на жизнь, свободу и личную неприкосновенность.", "Маяк", "построен в 1899 году."),
    "ell": ("Κάθε άτομο έχει δικαίωμα στη ζωή, την ελευθερία και την προσωπική ασφάλεια.", "Ο φάρος", "λειτουργεί ακόμη."),
    "heb": ("כל אדם יש לו הזכות לחיים, לחרות ולבטחון אישי.", "המגדלור", "נבנה בשנת ההיא."),
    "ara": ("لكل فرد الحق في الحياة والحرية وسلامة شخصه.", "منارة", "بنيت في تلك السنة."),
}  # fmt: skip


def read_as(language: str, setter: Typesetter, text: str) -> list[str]:
    direction = "rtl" if language in ("heb", "ara") else "ltr"
    style = "body{margin:25mm;font:13pt/1.6 'Noto Naskh Arabic','Noto Serif Hebrew','Noto Serif'}"
    page = setter.set(f'<html dir="{direction}"><meta charset=utf-8><style>{style}</style><p data-role=p>{text}</p>')
    content = read_content(page.image, page.dpi, (language,))
    return [word.text.strip(".,،") for region in content.regions for word in region.words]


@pytest.mark.parametrize("language", TEXTS)
def test_a_latin_name_is_read_in_its_own_letters(setter: Typesetter, language: str) -> None:
    before, first, last = TEXTS[language]
    words = read_as(language, setter, f"{before} {first} Skarnholm {last}")
    assert "Skarnholm" in words
    # What stands around it is still in its own script, and in its own place.
    at = words.index("Skarnholm")
    assert words[at - 1] == first.split()[-1]
    assert words[at + 1] == last.split()[0]


def test_a_latin_phrase_keeps_its_order_in_a_line_from_right_to_left(setter: Typesetter) -> None:
    before, first, last = TEXTS["heb"]
    words = read_as("heb", setter, f"{before} {first} Hall Varddal Skarnholm {last}")
    assert [w for w in words if w.isascii()] == ["Hall", "Varddal", "Skarnholm"]


class Latin(PartReader):
    """Reads every crop as the words it was given, at the places they were given for, and counts the crops."""

    known = ("eng", "rus")

    def __init__(self, *words: FoundWord) -> None:
        self.words, self.asked = words, 0

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        assert asked.languages == ("eng",)
        self.asked += 1
        # The margins of a crop: a quarter of the line's height and two pixels, and white of twelve around it, scaled.
        moved = tuple(w._replace(box=Box(*(v + 12 for v in w.box))) for w in self.words)
        return [block_of(moved)]


def word(text: str, left: int, confidence: float, language: str = "rus") -> FoundWord:
    return FoundWord(text, Box(left, 16, left + 18 * len(text), 72), confidence, language)


def block_of(words: tuple[FoundWord, ...]) -> FoundBlock:
    box = Box(words[0].box.left, 16, words[-1].box.right, 72)
    return FoundBlock(BlockKind.TEXT, box, (FoundLine(words, box, (Point(16, 70), Point(900, 70)), 56),))


def latin_of(own: list[FoundWord], latin: FoundWord) -> tuple[list[str], int]:
    reader = Latin(latin)
    page = np.full((100, 1000), 255, np.uint8)
    (block,) = with_latin_words(page, 300, [block_of(tuple(own))], reader)
    return [w.text for line in block.lines for w in line.words], reader.asked


@pytest.mark.parametrize(
    "text,sure,latin,latin_sure,taken",
    [
        ("Сгипвой", 0.4, "Grimfjord", 0.9, True),
        ("Сгипвой", 0.8, "Grimfjord", 0.78, False),  # no surer
        ("ТОРОС", 0.7, "TOPOC", 0.95, False),  # the same letters, to the eye
        ("человек", 0.5, "yenosek", 0.95, False),  # a common word stands
        ("1899", 0.5, "1899", 0.95, False),  # no letters
    ],
)
def test_latin_letters_are_taken_where_they_are_surer(
    text: str, sure: float, latin: str, latin_sure: float, taken: bool
) -> None:
    own = [word("Маяк", 16, 0.95), word(text, 150, sure)]
    found, _ = latin_of(own, FoundWord(latin, own[1].box, latin_sure, "eng"))
    assert found == ["Маяк", latin if taken else text]


def test_sure_lines_are_not_read_again() -> None:
    own = [word("Маяк", 16, 0.95), word("человек", 150, 0.95)]
    assert latin_of(own, own[1]) == (["Маяк", "человек"], 0)
    assert latin_of([word("Mayak", 16, 0.5, "eng")], own[1])[1] == 0


def test_a_name_in_a_row_with_wide_white_is_read_by_itself() -> None:
    # The engine reads nothing at all of a row of a table with the white between its columns.
    row = [word("Сгипвой", 16, 0.4), word("1899", 600, 0.95)]
    reader = Latin(FoundWord("Grimfjord", row[0].box, 0.9, "eng"))
    widths = []
    given = reader.read_region

    def noted(crop: Image, *told: Any, **more: Any) -> list[FoundBlock]:
        widths.append(crop.shape[1])
        return given(crop, *told, **more)

    reader.read_region = noted  # type: ignore[method-assign]
    (block,) = with_latin_words(np.full((100, 1000), 255, np.uint8), 300, [block_of(tuple(row))], reader)
    assert [w.text for line in block.lines for w in line.words] == ["Grimfjord", "1899"]
    assert widths and max(widths) < 300


def test_figures_behind_a_latin_word_belong_to_it_where_a_mark_leads_on() -> None:
    # UAX #9, W7: after a Latin letter figures run its way; before it they are the line's own.
    line = [word(text, 0, 0.9, "heb") for text in ("670", ".1911", as_seen("Ulnes,", ""), "שמור")]
    assert [w.text for w in in_reading_order(line[1:])] == ["Ulnes,", "1911.", "שמור"]
    ended = [word("1911", 0, 0.9, "heb"), word(as_seen("Ulnes,", "."), 0, 0.9, "heb")]
    assert [w.text for w in in_reading_order(ended)] == ["Ulnes,", "1911."]
    # A mark at its left ends the word, and leads on to nothing.
    first = [word("12", 0, 0.9, "heb"), word(as_seen("Ulnes", ","), 0, 0.9, "heb")]
    assert [w.text for w in in_reading_order(first)] == ["12", "Ulnes,"]
    alone = [line[0], word(as_seen("Ulnes", ""), 0, 0.9, "heb"), line[3]]
    assert [w.text for w in in_reading_order(alone)] == ["670", "Ulnes", "שמור"]


def test_latin_words_of_the_engine_are_in_order() -> None:
    own = [word(text, 0, 0.9, "heb") for text in ("12", "Hall,", "Varddal", "שמור")]
    assert in_reading_order(own) == own


@pytest.mark.parametrize("shown,told", [(":Salby", "Salby:"), ("(Salby)", "(Salby)"), ("Salby,", "Salby,")])
def test_only_the_mark_behind_a_word_changes_its_side(shown: str, told: str) -> None:
    own = [word("אדם", 16, 0.95, "heb"), word("6ת51", 150, 0.4, "heb")]
    found, _ = latin_of(own, FoundWord(shown, own[1].box, 0.9, "eng", letters="9" * len(shown)))
    assert found == ["אדם", told]


def test_a_latin_name_is_read_a_second_time_in_its_own_letters(setter: Typesetter) -> None:
    before, first, last = TEXTS["rus"]
    style = "body{margin:25mm;font:13pt/1.6 'Noto Serif'}"
    page = setter.set(f"<meta charset=utf-8><style>{style}</style><p data-role=p>{before} {first} Grimhaug {last}</p>")
    words = [w for r in read_content(page.image, page.dpi, ("rus",)).regions for w in r.words]
    (name,) = [w for w in words if w.text == "Grimhaug"]
    assert name.second in (None, "Grimhaug")
    assert not any((w.second or "").isascii() and (w.second or "").isalpha() for w in words if w is not name)
