"""The other model's reading of a word: the chance of a text, what it is asked, in which order it stands, what is taken."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from hyalen.core.imaging.pixels import Image, as_uint8, grey
from hyalen.core.model.content import Line, PageContent, Part, Role, Word
from hyalen.core.model.found import FoundBlock, Style
from hyalen.core.model.geometry import Box, union
from hyalen.core.proofing.chance import Judged, judge
from hyalen.core.proofing.placed import proofed_words
from hyalen.core.reading import recogniser
from hyalen.core.reading.recogniser import Recognised, are_alike, recognise
from hyalen.core.recognised import recognised_words
from hyalen.core.twice import read_twice, with_known_readings, with_reading
from hyalen.demo.typeset import Typesetter
from tests.conftest import ContentMaker, worn
from tests.readers import Asked, PartReader
from tests.test_backwards import block_of, word

WORDS = {"lamp": "lamp", "date": "28.11.1919", "german": "Straße", "polish": "światło", "dutch": "coöperatie"}


@pytest.fixture(scope="module")
def inks(setter: Typesetter) -> dict[str, Image]:
    """Words as they are set, each cut out as high as its line."""
    rows = "".join(f'<p data-role="paragraph" style="margin:20px 0">{text}</p>' for text in WORDS.values())
    page = setter.set(f"<body style=\"font:24px 'Liberation Serif'\">{rows}</body>", 200, 80, 120)
    image = grey(page.image)
    found = {}
    for name, block in zip(WORDS, page.blocks, strict=True):
        box = block.box
        ink = np.flatnonzero((image[box.top : box.bottom] < 128).any(axis=0))
        found[name] = image[box.top - 2 : box.bottom + 2, ink[0] - 6 : ink[-1] + 7]
    return found


def reading(ink: Image, *asked: Any) -> Recognised:
    (told,) = recognise(ink, [recogniser.Asked(*asked)])
    return told


def test_the_chance_of_a_text_is_that_of_all_ways_to_tell_it() -> None:
    # Graves et al. 2006, equations 2 and 3: the sum over all paths that give the text without repeats and blanks.
    classes = np.array([0, *(recogniser._class_of()[c] for c in "ab")])
    steps = np.random.default_rng(4).dirichlet(np.ones(3), size=5)
    for text in ("", "a", "ab", "aa", "aba", "abab"):
        told = 0.0
        for path in itertools.product(range(3), repeat=len(steps)):
            merged = [k for k, _ in itertools.groupby(path) if k]
            if "".join("?ab"[k] for k in merged) == text:
                told += float(np.prod([step[k] for step, k in zip(steps, path, strict=True)]))
        assert recogniser._likelihood(np.log(steps), classes, text) == pytest.approx(np.log(told))
    assert recogniser._likelihood(np.log(steps), classes, "ababab") == 6 * recogniser.IMPOSSIBLE  # in five steps
    known = recogniser._likelihood(np.log(steps), classes, "ab")
    assert recogniser._likelihood(np.log(steps), classes, "aЖb") == known + recogniser.IMPOSSIBLE


@pytest.mark.parametrize(
    "name,read,language",
    [
        ("lamp", "lamp", "eng"),
        ("lamp", "1amp", "eng"),
        ("date", "28.11.1979", "eng"),
        ("german", "Strafe", "deu"),
        ("polish", "swiatlo", "pol"),
    ],
)
def test_words_are_read_from_their_ink(inks: dict[str, Image], name: str, read: str, language: str) -> None:
    told = reading(inks[name], read, language)
    assert told.text == WORDS[name]
    assert told.least > 0.5
    assert (told.odds > 2) == (read != WORDS[name])


def test_a_word_is_read_among_others(inks: dict[str, Image]) -> None:
    height = max(ink.shape[0] for ink in inks.values())
    parts = [np.pad(inks[n], ((0, height - inks[n].shape[0]), (8, 8)), constant_values=255) for n in ("date", "lamp")]
    row = as_uint8(np.hstack(parts))
    whole = row.shape[1]
    assert reading(row, "1amp", "eng", (parts[0].shape[1] / whole, 1.0)).text == "lamp"
    assert reading(row, "lamp", "eng", (0.0, parts[0].shape[1] / whole)).text == WORDS["date"]


@pytest.mark.parametrize("within", [(0.0, 0.0), (0.5, 0.4), (1.0, 1.0), (1.1, 1.2)])
def test_a_word_has_a_reading_wherever_its_place_is_told_to_be(
    inks: dict[str, Image], within: tuple[float, float]
) -> None:
    assert reading(inks["lamp"], "1amp", "eng", within).odds < np.inf


def test_only_the_languages_letters_are_read_and_those_of_the_first_reading(inks: dict[str, Image]) -> None:
    assert reading(inks["german"], "Strasse", "eng").text != WORDS["german"]
    assert "ö" not in reading(inks["dutch"], "cooperatie", "eng").text
    assert reading(inks["dutch"], "coöperatie", "eng").text == WORDS["dutch"]
    assert reading(inks["lamp"], "1", "eng").text.isalpha() is False  # of what was read as figures, no letters


@pytest.mark.parametrize(
    "one,other,alike",
    [
        ("It’s", "It's", True),
        ("«oui»", '"oui"', True),
        ("a b", "ab", True),
        ("lamp", "1amp", False),
        ("a.", "a,", False),
    ],
)
def test_marks_that_readers_do_not_tell_apart_make_no_difference(one: str, other: str, alike: bool) -> None:
    assert are_alike(one, other) == alike


class Shown:
    """Says of each word's ink what it is told to; what it was asked is kept."""

    def __init__(self, texts: Sequence[str], least: float = 0.99, odds: float = 12.0) -> None:
        self.texts, self.least, self.odds = iter(texts), least, odds
        self.asked: list[tuple[str, str]] = []
        self.seen: list[tuple[int, ...]] = []
        self.within: list[tuple[float, float]] = []

    def __call__(self, ink: Image, words: Sequence[recogniser.Asked]) -> list[Recognised]:
        self.asked += [(word.read, word.language) for word in words]
        self.seen.append(ink.shape)
        self.within += [word.within for word in words]
        return [Recognised(next(self.texts, word.read), self.least, self.odds) for word in words]


def judged(content: PageContent, chance: float = 0.5) -> list[Judged]:
    return [Judged(placed, chance, chance, None) for placed in proofed_words(content)]


@pytest.mark.parametrize(
    "language,text,asked",
    [
        ("eng", "Torvik 1919 — ½ №4 3⅓", [("Torvik", "eng"), ("1919", "eng")]),
        ("rus", "маяк Torvik 1919", [("Torvik", "eng"), ("1919", "eng")]),
        ("ara", "٤٧ Torvik", [("Torvik", "eng")]),
        ("frk", "Torvik 1919", []),
    ],
)
def test_words_in_latin_letters_and_figures_are_asked(
    language: str, text: str, asked: list[tuple[str, str]], blank_page: Image, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown = Shown([])
    monkeypatch.setattr("hyalen.core.recognised.recognise", shown)
    content = ContentMaker(language).add(Role.PARAGRAPH, text).page()
    recognised_words(blank_page, judged(content), "eng")
    assert shown.asked == asked
    recognised_words(blank_page, judged(content, 0.001), "eng")
    assert shown.asked == asked  # and none that is certain


def test_the_worst_words_are_asked_while_there_is_time(blank_page: Image, monkeypatch: pytest.MonkeyPatch) -> None:
    shown = Shown([])
    monkeypatch.setattr("hyalen.core.recognised.recognise", shown)
    monkeypatch.setattr("hyalen.core.recognised.MOST", 120)
    words = judged(ContentMaker().add(Role.PARAGRAPH, "lamp oil log").page())
    chances = {"lamp": 0.2, "oil": 0.9, "log": 0.5}
    recognised_words(blank_page, [w._replace(chance=chances[w.placed.word.text]) for w in words], "eng")
    assert [read for read, _ in shown.asked] == ["oil", "log", "lamp"][: len(shown.asked)]
    assert 0 < len(shown.asked) < 3


def test_ink_beside_a_word_is_seen_unless_it_is_a_neighbours(
    blank_page: Image, monkeypatch: pytest.MonkeyPatch
) -> None:
    shown = Shown([])
    monkeypatch.setattr("hyalen.core.recognised.recognise", shown)
    content = ContentMaker().add(Role.PARAGRAPH, "lamp oil").page()
    lamp, oil = content.words
    recognised_words(blank_page, judged(content), "eng")
    gap = oil.box.left - lamp.box.right
    (_, wide), (_, narrow) = shown.seen
    assert lamp.box.width + gap / 2 < wide < lamp.box.width + gap + 20 + 1
    assert narrow < oil.box.width + gap + 20


def test_a_word_that_reads_otherwise_is_read_beside_its_neighbours_too(
    blank_page: Image, monkeypatch: pytest.MonkeyPatch
) -> None:
    content = ContentMaker().add(Role.PARAGRAPH, "oil log lamp keep 1919 маяк").page()
    (lamp,) = (p for p in judged(content) if p.placed.word.text == "lamp")

    def read(*texts: str) -> tuple[Shown, Recognised]:
        shown = Shown(texts)
        monkeypatch.setattr("hyalen.core.recognised.recognise", shown)
        (told,) = recognised_words(blank_page, [lamp], "eng").values()
        return shown, told

    shown, told = read("1amp", "1amp")
    assert (told.text, told.beside) == ("1amp", True)
    (_, alone), (_, wide) = shown.seen
    first, last = shown.within[1]
    assert wide > 4 * alone  # from oil to 1919
    assert first * wide == pytest.approx(lamp.placed.word.box.left - lamp.placed.line.box.left, rel=0.1)
    assert (last - first) * wide == pytest.approx(lamp.placed.word.box.width, rel=0.3)
    assert (read("1amp", "lamp")[1].text, read("1amp", "camp")[1].text) == ("lamp", "1amp")
    shown, _ = read("lamp")
    assert len(shown.asked) == 1


@pytest.mark.parametrize(
    "shown,told", [(",1919", "1919,"), ("(1919", "1919)"), ("1919", "1919"), (".1-9", "1-9."), ("%34", "34%")]
)
def test_marks_at_the_left_end_words_of_lines_from_right_to_left(
    shown: str, told: str, blank_page: Image, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hyalen.core.recognised.recognise", Shown([shown]))
    content = ContentMaker("heb").add(Role.PARAGRAPH, "1900").page()
    assert [r.text for r in recognised_words(blank_page, judged(content), "heb").values()] == [told]


@pytest.mark.parametrize("read,odds", [("1919.", 0.0), ("1979", 12.0)])
def test_of_marks_alone_nothing_is_taken_in_lines_from_right_to_left(
    read: str, odds: float, blank_page: Image, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hyalen.core.recognised.recognise", Shown([",1919"]))
    content = ContentMaker("heb").add(Role.PARAGRAPH, read).page()
    (told,) = recognised_words(blank_page, judged(content), "heb").values()
    assert (told.text, told.odds) == ("1919,", odds)


class Engine(PartReader):
    """Has one text on all ink, and counts how often it is asked."""

    def __init__(self, text: str = "") -> None:
        self.text, self.times = text, 0

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        self.times += 1
        return [block_of([word(self.text, 0, crop.shape[1], 0.9, "eng")])] if self.text else []


def read_again(content: PageContent, page: Image, reader: Engine) -> Word:
    def blackened(line: Line) -> Line:
        for each in line.words:
            page[each.box.top : each.box.bottom, each.box.left : each.box.right] = 0
        return line

    (found,) = read_twice(page, 300, content.with_lines(blackened), reader).words
    return found


@pytest.mark.parametrize(
    "read,model,least,odds,engine,text",
    [
        ("Torv1k", "Torvik", 0.99, 12, "", "Torvik"),
        ("Torv1k", "Torvik", 0.4, 12, "", "Torv1k"),  # of a letter it is not sure
        ("Torv1k", "Torvik", 0.4, 12, "Torvik", "Torvik"),  # but the engine reads the same, asked again
        ("Torv1k", "Torvik", 0.99, 2, "Torvik", "Torv1k"),  # ink that fits both
        ("Torv1k,", "orv1k,", 0.99, 12, "", "Torv1k,"),  # only a letter lost
        ("It’z", "It's", 0.99, 12, "", "It’s"),
        ("Torv1kSaley", "Torvik Saley", 0.99, 12, "", "Torv1kSaley"),  # two words: parted by hand
        ("Torvik", "+", 0.99, 12, "", "Torvik"),  # marks instead of letters
        ("00", "%", 0.99, 12, "", "%"),
        ("Torvik", "ia", 0.99, 12, "", "Torvik"),  # much less than was read
        ("lamp", "lanp", 0.99, 12, "", "lamp"),  # a word that becomes none
        ("lamp", "lanp", 0.99, 12, "lanp", "lanp"),
    ],
)  # fmt: skip
def test_what_the_other_model_reads_is_taken_where_ink_and_another_witness_are_for_it(
    read: str, model: str, least: float, odds: float, engine: str, text: str,
    blank_page: Image, monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    monkeypatch.setattr("hyalen.core.recognised.recognise", Shown([model], least, odds))
    monkeypatch.setattr("hyalen.core.twice.with_known_readings", lambda content: content)
    content = worn(ContentMaker().add(Role.PARAGRAPH, read).page())
    found = read_again(content, blank_page.copy(), Engine(engine))
    assert found.text == text
    assert (read in found.others) == (text != read)
    assert are_alike(found.recognised or "", model)


def test_a_word_on_its_side_is_not_read_as_if_it_stood(blank_page: Image, monkeypatch: pytest.MonkeyPatch) -> None:
    shown = Shown([])
    monkeypatch.setattr("hyalen.core.recognised.recognise", shown)
    content = worn(ContentMaker().add(Role.PARAGRAPH, "lamp").page())

    def turned(line: Line) -> Line:
        (word,) = line.words
        return line.model_copy(update={"words": (word.model_copy(update={"box": Box(300, 300, 340, 460)}),)})

    reader = Engine("lamb")
    found = read_again(content.with_lines(turned), blank_page.copy(), reader)
    assert (found.text, found.recognised, found.second, shown.asked, reader.times) == ("lamp", None, None, [], 0)


@pytest.mark.parametrize("beside,text", [("Torvik", "Torvik"), ("Torvlk", "Torv1k"), ("Torv1k", "Torv1k")])
def test_less_is_enough_where_the_other_model_reads_the_same_beside_the_words_around(
    beside: str, text: str, blank_page: Image, monkeypatch: pytest.MonkeyPatch
) -> None:
    content = worn(ContentMaker().add(Role.PARAGRAPH, "lamp Torv1k").page())
    worst = max(judge(content), key=lambda each: each.chance).placed.word.text
    texts = ["Torvik", "lamp"] if worst == "Torv1k" else ["lamp", "Torvik"]
    monkeypatch.setattr("hyalen.core.recognised.recognise", Shown([*texts, beside], odds=4.0))
    monkeypatch.setattr("hyalen.core.twice.with_known_readings", lambda content: content)
    _, found = read_twice(blank_page, 300, content, Engine()).words
    assert found.text == text


@pytest.mark.parametrize("text,kept", [("Mr", True), ("Mrs", False)])
def test_raised_letters_stay_where_the_other_reading_is_as_long(text: str, kept: bool) -> None:
    word = Word(id="w", text="Mz", box=Box(0, 0, 9, 9), confidence=0.5, parts=(Part(1, 2, Style.SUPERSCRIPT),))
    assert bool(with_reading(word, text).parts) == kept


def test_no_other_reading_is_taken_for_a_word_on_which_two_models_agree() -> None:
    page = ContentMaker().add(Role.PARAGRAPH, "lainp Torvlk").page()

    def agreed(line: Line) -> Line:
        told = {"lainp": None, "Torvlk": "Torvlk"}
        words = [w.model_copy(update={"others": ("lamp",), "recognised": told[w.text]}) for w in line.words]
        return line.model_copy(update={"words": tuple(words)})

    assert [w.text for w in with_known_readings(page.with_lines(agreed)).words] == ["lamp", "Torvlk"]


def test_where_both_models_agree_the_engine_is_not_asked_again(
    blank_page: Image, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("hyalen.core.recognised.recognise", Shown(["It's", "It’z"]))
    content = worn(ContentMaker().add(Role.PARAGRAPH, "It’s").page())
    reader = Engine()
    found = read_again(content, blank_page.copy(), reader)
    assert (found.text, found.recognised, found.second, reader.times) == ("It’s", "It’s", None, 0)
    assert read_again(content, blank_page.copy(), reader).second == "" and reader.times > 0


PLACES = st.builds(
    lambda x, y, w, h: Box(x, y, x + w, y + h),
    st.integers(-20, 320), st.integers(-20, 130), st.integers(0, 160), st.integers(0, 60),
)  # fmt: skip


@settings(max_examples=40, deadline=None)
@example([Box(0, 20, 480, 60), Box(318, 20, 322, 60)], "eng")  # one reaches over the other and beyond the page
@given(st.lists(PLACES, min_size=1, max_size=4), st.sampled_from(["eng", "ara"]))
def test_words_are_asked_wherever_their_boxes_lie(boxes: list[Box], language: str) -> None:
    page = np.random.default_rng(len(boxes)).integers(0, 255, (140, 330), dtype=np.uint8)
    content = ContentMaker().add(Role.PARAGRAPH, " ".join(["1amp"] * len(boxes))).page()

    def placed(line: Line) -> Line:
        words = tuple(w.model_copy(update={"box": box}) for w, box in zip(line.words, boxes, strict=True))
        return line.model_copy(update={"words": words, "box": union(boxes)})

    found = recognised_words(page, judged(content.with_lines(placed)), language)
    assert all(np.isfinite(read.odds) for read in found.values())


def test_a_word_whose_place_is_beside_the_page_is_left_alone(blank_page: Image) -> None:
    content = ContentMaker().add(Role.PARAGRAPH, "lamp").page()
    away = content.with_lines(
        lambda line: line.model_copy(
            update={"words": tuple(w.model_copy(update={"box": Box(3000, 4000, 3100, 4040)}) for w in line.words)}
        )
    )
    assert recognised_words(blank_page, judged(away), "eng") == {}
