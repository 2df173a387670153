"""Words and lines changed by hand: how they are set, joined and parted, put in where nothing was read."""

from __future__ import annotations

import io
import re
import subprocess
import unicodedata
from collections.abc import Iterable
from pathlib import Path

import numpy as np
import pytest
from docx import Document
from docx.shared import Pt

from hyalen.core.decisions.decide import decide, name
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.lines import place_beneath
from hyalen.core.decisions.operations import ContentOperation, operation_from, stored
from hyalen.core.decisions.replay import perform, replay
from hyalen.core.decisions.requests import (
    BreakLine,
    EditError,
    InsertLine,
    JoinLines,
    JoinWords,
    PartBlock,
    Request,
    SetRunning,
    SetStyle,
    SetWord,
)
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.model.content import PageContent, Part, Role, Word, WordState
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Point
from hyalen.core.proofing.characters import letters, variants
from hyalen.core.proofing.slips import FIGURES, OTHER, UNKNOWN, alike, apart
from hyalen.core.structure.flow import joined_text, word_runs
from tests.conftest import ContentMaker
from tests.helpers import cleaned, deliver

READING = (
    ContentMaker().add(Role.PARAGRAPH, "the lamp was lit at\nfour and the CO2 exam-\nple went on").add(Role.PARAGRAPH, "Another one").page()
)  # fmt: skip


def after(content: PageContent, *asked: Request, lay: Lay | None = None) -> PageContent:
    """The page after each request, decided on it as the ones before left it; all replayed over the reading is the same."""
    lay, made, now = lay or Lay(), list[ContentOperation](), content
    for request in asked:
        for operation in decide(now, request, lay):
            now = perform(now, operation, lay)
            made.append(operation_from(operation.op, stored(operation)))
    assert replay(content, made, lay) == (now, ())
    return now


def word(content: PageContent, text: str) -> Word:
    return next(w for w in content.words if w.text == text)


def first_lines(content: PageContent) -> list[str]:
    return [line.text for line in content.regions[0].lines]


def test_letters_of_a_word_are_lowered_and_the_whole_word_made_bold() -> None:
    gas = word(READING, "CO2")
    content = after(
        READING,
        SetStyle(word_ids=(gas.id,), style=Style.SUBSCRIPT, start=2, end=3),
        SetStyle(word_ids=(gas.id, word(READING, "the").id), style=Style.BOLD),
    )
    runs = [(r.text, r.style) for r in word_runs(word(content, "CO2"))]
    assert runs == [("CO", {Style.BOLD}), ("2", {Style.BOLD, Style.SUBSCRIPT})]
    assert word(content, "the").style == (Style.BOLD,)
    assert word(content, "CO2").state is WordState.READ  # how it is set says nothing of its text


def test_raised_and_lowered_exclude_each_other_and_a_part_of_a_bold_word_is_made_plain() -> None:
    gas = word(READING, "CO2").id
    content = after(
        READING,
        SetStyle(word_ids=(gas,), style=Style.SUPERSCRIPT),
        SetStyle(word_ids=(gas,), style=Style.SUBSCRIPT),
        SetStyle(word_ids=(gas,), style=Style.SUBSCRIPT, on=False, start=0, end=2),
    )
    told = word(content, "CO2")
    assert told.style == () and told.parts == (Part(2, 3, Style.SUBSCRIPT),)
    plain = after(content, SetStyle(word_ids=(gas,), style=Style.SUBSCRIPT, on=False))
    assert word(plain, "CO2").parts == ()


def test_words_are_joined_and_parted_and_keep_their_place_on_the_ink() -> None:
    a, b = word(READING, "lamp"), word(READING, "was")
    joined = after(READING, JoinWords(word_ids=(a.id, b.id)))
    told = word(joined, "lampwas")
    assert told.box.left == a.box.left and told.box.right == b.box.right and told.state is WordState.CORRECTED
    parted = after(READING, JoinWords(word_ids=(a.id, b.id)), SetWord(word_id=told.id, text="lam pwas"))
    left, right = word(parted, "lam").box, word(parted, "pwas").box
    assert a.box.left == left.left and left.right <= right.left and right.right == b.box.right
    with pytest.raises(EditError, match="side by side"):
        decide(READING, JoinWords(word_ids=(a.id, word(READING, "lit").id)), Lay())


def test_a_line_ends_before_a_word_and_goes_on_with_the_next() -> None:
    content = after(READING, BreakLine(word_id=word(READING, "was").id))
    assert first_lines(content)[:2] == ["the lamp", "was lit at"]
    assert content.regions[0].lines[0].box.right == word(READING, "lamp").box.right
    assert first_lines(after(content, JoinLines(word_id=word(content, "lamp").id))) == first_lines(READING)
    with pytest.raises(EditError, match="no line after"):
        after(READING, JoinLines(word_id=word(READING, "went").id))


def test_lines_of_a_cell_are_joined_within_it() -> None:
    maker = ContentMaker()
    content = maker.table([["Year", "Lamp"], ["1911", "of gas"]]).page()
    told = word(content, "gas")
    broken = after(content, BreakLine(word_id=told.id))
    assert [c.text for c in broken.regions[0].table.cells][3] == "of\ngas"  # type: ignore[union-attr]
    joined = after(broken, JoinLines(word_id=word(broken, "of").id))
    assert [c.text for c in joined.regions[0].table.cells][3] == "of gas"  # type: ignore[union-attr]
    with pytest.raises(EditError, match="no line after"):
        after(content, JoinLines(word_id=told.id))


def test_a_missed_line_is_put_in_on_its_unread_ink_and_is_no_doubt_any_more() -> None:
    region = READING.regions[0]
    second = region.lines[1]
    ink = [Box(second.box.left, second.box.bottom + 2, second.box.left + 90, second.box.bottom + 30)]
    ink.append(Box(ink[0].right + 10, ink[0].top + 1, ink[0].right + 60, ink[0].bottom))
    content = READING.model_copy(update={"unread": (*ink, Box(0, 3000, 20, 3020))})
    assert place_beneath(content, region, 1) == Box(ink[0].left, ink[0].top, ink[1].right, ink[0].bottom)
    told = after(content, InsertLine(region_id=region.id, after=1, text="two words"))
    assert first_lines(told)[2] == "two words" and told.unread == (Box(0, 3000, 20, 3020),)
    line = told.regions[0].lines[2]
    assert line.box.top < line.level <= line.box.bottom and line.words[0].box.right < line.words[1].box.left


def test_a_missed_line_without_ink_stands_a_pitch_beneath_and_in_arabic_runs_to_the_left() -> None:
    region = READING.regions[0]
    pitch = region.lines[1].level - region.lines[0].level
    below = place_beneath(READING, region, 2)
    assert below.top == pytest.approx(region.lines[2].box.top + pitch, abs=1)
    assert place_beneath(READING, region, -1).top == pytest.approx(max(0, region.lines[0].box.top - pitch), abs=1)
    arabic = READING.model_copy(update={"regions": (region.model_copy(update={"language": "ara"}),)})
    told = after(arabic, InsertLine(region_id=region.id, after=2, text="بيت النور", box=(40, 900, 400, 950)))
    first, second = told.regions[0].lines[3].words
    assert (first.text, first.box.right, second.box.left) == ("بيت", 400, 40)
    assert told.regions[0].box.bottom >= 950
    with pytest.raises(EditError, match="too small"):
        after(READING, InsertLine(region_id=region.id, after=0, text="x", box=(40, 900, 41, 950)))


def test_a_block_begins_with_a_line() -> None:
    content = after(READING, PartBlock(region_id=READING.regions[0].id, line=1))
    assert [r.text for r in content.regions] == [
        "the lamp was lit at",
        "four and the CO2 exam-\nple went on",
        "Another one",
    ]
    with pytest.raises(EditError, match="first line"):
        decide(READING, PartBlock(region_id=READING.regions[0].id, line=0), Lay())


@pytest.mark.parametrize(
    ("typed", "lines"),
    [
        ("the lamp was lit at four and the CO2 example went on", None),
        ("the lamps was lit at four and the CO2 example went on", ["the lamps was lit at", "four and the CO2 exam-", "ple went on"]),
        ("the lamp was lit at four and the CO2 sample went on", ["the lamp was lit at", "four and the CO2 sample", "went on"]),
        ("the old lamp was at four and the CO2 example went", ["the old lamp was at", "four and the CO2 exam-", "ple went"]),
    ],
)  # fmt: skip
def test_a_text_is_written_as_it_runs(typed: str, lines: list[str] | None) -> None:
    """Over a hyphen that a line's end has put there, too; what stays the same is not touched."""
    request = SetRunning(region_id=READING.regions[0].id, text=typed)
    if lines is None:
        assert decide(READING, request, Lay()) == []
        return
    content = after(READING, request)
    assert first_lines(content) == lines
    assert joined_text(content.regions[0].lines, "eng") == typed
    assert word(content, "four") == word(READING, "four")


def test_what_is_typed_stays_when_the_page_is_cleaned_otherwise() -> None:
    first, second, cut = Lay(cleaned()), Lay(cleaned(left=40)), 40

    def box(b: Box) -> Box:
        return Box(b.left - cut, b.top, b.right - cut, b.bottom)

    def points(them: Iterable[Point]) -> tuple[Point, ...]:
        return tuple(p._replace(x=p.x - cut) for p in them)

    asked = [
        BreakLine(word_id=word(READING, "was").id),
        SetStyle(word_ids=(word(READING, "lit").id,), style=Style.ITALIC),
        InsertLine(region_id=READING.regions[0].id, after=2, text="a line more", box=(40, 900, 400, 950)),
    ]
    made = [o for request in asked for o in decide(READING, request, first)]
    moved = READING.with_lines(
        lambda line: line.model_copy(
            update={
                "box": box(line.box),
                "baseline": points(line.baseline),
                "words": tuple(w.model_copy(update={"box": box(w.box)}) for w in line.words),
            }
        )
    )
    regions = tuple(r.model_copy(update={"outline": points(r.outline)}) for r in moved.regions)
    told = replay(moved.model_copy(update={"regions": regions}), made, second)
    assert not told.unplaced
    assert first_lines(told.content) == [
        "the lamp",
        "was lit at",
        "four and the CO2 exam-",
        "ple went on",
        "a line more",
    ]
    assert told.content.regions[0].lines[4].box == Box(0, 900, 360, 950)


def test_what_is_typed_is_in_the_files_that_leave_the_house(tmp_path: Path) -> None:
    """Sizes and lowered letters in DOCX; a line put in is searchable on its ink in the PDF, as poppler reads it."""
    content = after(
        READING,
        SetStyle(word_ids=(word(READING, "CO2").id,), style=Style.SUBSCRIPT, start=2, end=3),
        SetStyle(word_ids=(word(READING, "lamp").id,), style=Style.LARGER),
        InsertLine(region_id=READING.regions[0].id, after=2, text="beyond Grimhaug", box=(300, 900, 900, 950)),
    )
    told = DocumentContent(title="Lamps", language="eng", pages=(content,))
    runs = [r for p in Document(io.BytesIO(deliver(told, lambda _: b"", "docx"))).paragraphs for r in p.runs]
    assert [r.text for r in runs if r.font.subscript] == ["2"]
    assert [(r.text, r.font.size) for r in runs if r.font.size] == [("lamp", Pt(14))]
    scan = encode_jpeg(np.full((3508, 2480), 255, np.uint8))
    (tmp_path / "a.pdf").write_bytes(deliver(told, lambda _: scan, "pdf"))
    boxes = subprocess.run(
        ["pdftotext", "-bbox", str(tmp_path / "a.pdf"), "-"], capture_output=True, text=True, check=True
    )
    found = re.search(r'xMin="([\d.]+)" yMin="([\d.]+)" xMax="([\d.]+)" yMax="([\d.]+)">Grimhaug<', boxes.stdout)
    assert found
    left, top, right, bottom = (float(v) * 300 / 72 for v in found.groups())
    assert 300 < left < right < 910 and top < 925 < bottom


def test_every_change_of_text_has_a_name() -> None:
    a, b, region = word(READING, "lamp").id, word(READING, "was").id, READING.regions[0].id
    asked: list[Request] = [
        JoinWords(word_ids=(a, b)), BreakLine(word_id=b), JoinLines(word_id=a), InsertLine(region_id=region, after=0, text="x"),
        PartBlock(region_id=region, line=1), SetStyle(word_ids=(a,), style=Style.SMALL_CAPITALS, on=False), SetRunning(region_id=region, text="x"),
    ]  # fmt: skip
    names = [name(request, READING) for request in asked]
    assert (
        names[0] == "“lamp was” made one word"
        and names[5] == "small capitals taken off"
        and len(set(names)) == len(names)
    )


# Alike doubts


@pytest.mark.parametrize(
    ("one", "other", "differ"), [("modem", "modern", ("m", "rn")), ("clay", "day", ("cl", "d")), ("aa", "aaa", ("", "a")), ("x", "x", ("", ""))]
)  # fmt: skip
def test_where_two_texts_differ(one: str, other: str, differ: tuple[str, str]) -> None:
    assert apart(one, other) == differ


def test_doubtful_words_are_alike_by_confused_letters_columns_and_figures() -> None:
    box = Box(0, 0, 10, 10)

    def told(text: str, **more: object) -> Word:
        return Word(id="w", text=text, box=box, confidence=0.5, **more)  # type: ignore[arg-type]

    assert alike(told("modem", second="modern")) == alike(told("bum", others=("burn",))) == "rn/m"
    assert alike(told("1911"), column=2) == "column 3"
    assert alike(told("l9l1")) == FIGURES
    assert alike(told("lamp", letters="9299")) == "a"
    assert alike(told("lamp", letters="9999"), unknown=True) == UNKNOWN
    assert alike(told("lamp", second="lighthouse", letters="9999")) == OTHER


# Characters


def test_letters_of_a_language_are_those_of_its_alphabet() -> None:
    """Of German and Danish orthography (Duden, 28th edition, D 1; Dansk Sprognævn, Retskrivningsordbogen, § 1), from memory."""
    assert set("äöü") <= set(letters("deu"))
    assert set("æøå") <= set(letters("dan")) and not set("äöü") & set(letters("dan")[:3])
    assert "ж" in letters("rus") and letters("rus")[0] == "о"
    assert letters("zho") == () and letters("qqq") == ()


def test_variants_of_a_letter_are_those_that_unicode_decomposes_to_it() -> None:
    told = variants()
    assert (
        {"é", "ê", "ë", "ē"} <= set(told["e"])
        and {"ß", "ſ", "š"} <= set(told["s"])
        and {"Ø", "Ö", "Œ"} <= set(told["O"])
    )
    assert set(told["2"]) == {"²", "₂", "⅔", "⅖"}
    for base, others in told.items():
        for c in others:
            assert unicodedata.is_normalized("NFC", c) and c != base
