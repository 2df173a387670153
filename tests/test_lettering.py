"""How words are set, and raised figures, told on pages that a browser set."""

from __future__ import annotations

import io

import numpy as np
import pytest
from docx import Document

from hyalen.core.formats.docx_text import FONT
from hyalen.core.layout.lettering import glyph_boxes
from hyalen.core.model.content import PageContent, Part, Word
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box
from hyalen.core.read import read_content
from hyalen.core.structure.flow import Run, word_runs
from hyalen.demo.typeset import Typesetter
from tests.helpers import deliver

TEXT = """
<p data-role="p">The keeper of the northern light <b>trims the lamp</b> at dusk and again at midnight, and then
he puts the <i>number and hour</i> in the book that lies beside the door.</p>
<p data-role="p">Oil is drawn from the tank<sup>12</sup> every <u>second Monday</u> and what is left is measured with
the rod<sup>7</sup> before the store of 40 m<sup>2</sup> is <s>locked for the night</s> by the mate.</p>
<p data-role="p">When a bank of fog comes down the horn is sounded until the CO<sub>2</sub> in the bottle is spent, as
the <span style="font-variant:small-caps">printed rules</span> demand of all stations in the district.</p>
"""


@pytest.fixture(scope="module", params=["Liberation Serif", "Liberation Sans", "Noto Serif"])
def read(request: pytest.FixtureRequest, setter: Typesetter) -> PageContent:
    style = f"body{{margin:25mm;font:11pt/1.5 '{request.param}'}} sup,sub{{font-size:65%}} u,s{{text-decoration-skip-ink:none}}"
    page = setter.set(f"<meta charset=utf-8><style>{style}</style>{TEXT}")
    return read_content(page.image, page.dpi, ("eng",))


def of_style(content: PageContent, style: Style) -> set[str]:
    return {w.text.casefold().strip(".,") for w in content.words if style in w.style}


@pytest.mark.parametrize(
    ("style", "words"),
    [
        (Style.BOLD, {"trims", "the", "lamp"}),
        (Style.ITALIC, {"number", "and", "hour"}),
        (Style.UNDERLINED, {"second", "monday"}),
        (Style.SMALL_CAPITALS, {"printed", "rules"}),
    ],
)
def test_words_are_told_by_how_they_are_set(read: PageContent, style: Style, words: set[str]) -> None:
    told = of_style(read, style)
    # One word may be a browser's or an engine's version's.
    assert len(words - told) <= 1 and len(told - words) <= 1 and told & words


def test_a_stroke_through_words_is_told(read: PageContent) -> None:
    assert any("night" in w for w in of_style(read, Style.STRUCK))  # the engine reads little under a stroke


def test_raised_and_lowered_figures_are_read_and_told(read: PageContent) -> None:
    # The engine takes them for marks: "tank'*", "m?", "CO,".
    words = {w.text: w for w in read.words}
    set_ = {
        "tank12": (Part(4, 6, Style.SUPERSCRIPT),),
        "rod7": (Part(3, 4, Style.SUPERSCRIPT),),
        "m2": (Part(1, 2, Style.SUPERSCRIPT),),
        "CO2": (Part(2, 3, Style.SUBSCRIPT),),
    }
    right = [text for text, parts in set_.items() if text in words and words[text].parts == parts]
    assert len(right) >= 3 and words[right[0]].others
    assert not any(w.parts for t, w in words.items() if t.isalpha())


def test_an_editable_file_is_set_as_the_page_is(read: PageContent) -> None:
    document = Document(
        io.BytesIO(deliver(DocumentContent(title="t", language="eng", pages=(read,)), lambda _: b"", "docx"))
    )
    runs = [run for paragraph in document.paragraphs for run in paragraph.runs]
    shown = {
        style: [r.text for r in runs if getattr(r.font, FONT[style])]
        for style in (Style.BOLD, Style.ITALIC, Style.UNDERLINED, Style.SUPERSCRIPT, Style.SUBSCRIPT)
    }
    for style, texts in shown.items():
        whole = {w.text for w in read.words if style in w.style}
        parts = {w.text[p.start : p.end] for w in read.words for p in w.parts if p.style is style}
        assert texts and {token for text in texts for token in text.split()} == whole | parts


def test_how_sure_each_letter_is_is_kept(read: PageContent) -> None:
    known = [w for w in read.words if w.letters]
    assert len(known) > 0.7 * len(list(read.words))
    assert all(len(w.letters) == len(w.text) and w.letters.isdigit() for w in known)
    assert "9" in "".join(w.letters for w in known)


def test_a_word_falls_into_runs() -> None:
    word = Word(id="w", text="H2SO4", box=Box(0, 0, 50, 20), confidence=0.9, style=(Style.BOLD,),
                parts=(Part(1, 2, Style.SUBSCRIPT), Part(4, 5, Style.SUBSCRIPT)))  # fmt: skip
    bold, low = frozenset({Style.BOLD}), frozenset({Style.BOLD, Style.SUBSCRIPT})
    assert word_runs(word) == [Run("H", bold), Run("2", low), Run("SO", bold), Run("4", low)]


def test_a_dot_belongs_to_its_letter() -> None:
    ink = np.zeros((20, 30), np.uint8)
    ink[6:20, 2:5] = ink[0:3, 2:5] = ink[6:20, 10:20] = 1
    assert glyph_boxes(ink) == [Box(2, 0, 5, 20), Box(10, 6, 20, 20)]
    assert glyph_boxes(ink[:0]) == []  # a word's box beyond the page's rim
