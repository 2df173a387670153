"""Doubts, edits and document rules."""

from __future__ import annotations

from pathlib import Path

import pytest

from hyalen.core.accessibility.rules import Heading, document_doubts
from hyalen.core.decisions.decide import decide, name
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import perform
from hyalen.core.decisions.requests import (
    AcceptDoubt,
    AcceptWord,
    EditError,
    Move,
    Request,
    SetAlternative,
    SetLanguage,
    SetLine,
    SetRole,
    SetText,
    SetWord,
)
from hyalen.core.model.content import Line, PageContent, Part, Role, Word, WordState
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box
from hyalen.core.model.treatment import Cleaned, Finding
from hyalen.core.proofing.chance import judge
from hyalen.core.proofing.doubts import Stage, page_doubts, word_reason
from hyalen.store.store import Store
from tests.conftest import ContentMaker, worn
from tests.helpers import cleaned, read_document


def apply(content: PageContent, request: Request) -> PageContent:
    """The content after a request, by way of its operations."""
    for operation in decide(content, request, Lay()):
        content = perform(content, operation, Lay())
    return content


def word(text: str, confidence: float) -> Word:
    return Word(id="w", text=text, box=Box(0, 0, 10, 10), confidence=confidence)


@pytest.mark.parametrize(
    "doubtful,sure",
    [
        (("needl¢", 0.8), ("needle", 0.8)),
        (("tbe", 0.9), ("the", 0.9)),
        (("the", 0.4), ("the", 0.95)),
        (("19B1", 0.8), ("1931", 0.95)),
    ],
)
def test_unknown_and_unsure_words_are_likelier_wrong(
    maker: type[ContentMaker], doubtful: tuple[str, float], sure: tuple[str, float]
) -> None:
    chances = []
    for text, confidence in (doubtful, sure):
        page = maker().add(Role.PARAGRAPH, f"The keeper writes {text} in the log of the station").page()
        page = page.with_lines(lambda line, t=text, c=confidence: with_word(line, t, c))
        chances.append(next(j.chance for j in judge(page) if j.placed.word.text == text))
    assert chances[0] > 1.5 * chances[1]


def with_word(line: Line, text: str, confidence: float) -> Line:
    words = (w.model_copy(update={"confidence": confidence}) if w.text == text else w for w in line.words)
    return line.model_copy(update={"words": tuple(words)})


def test_doubts_come_worst_first_and_settled_words_are_none(maker: type[ContentMaker]) -> None:
    page = worn(maker().add(Role.PARAGRAPH, "the qwzx lamp").figure().page())
    assert "proof:word:w2" in {d.key for d in page_doubts(page)}
    told = {d.key for d in page_doubts(apply(page, SetWord(word_id="w2", text="qwzy")))}
    assert "tag:alternative:r2" in told and "proof:word:w2" not in told
    doubtful = worn(maker().add(Role.PARAGRAPH, "zzqk xxvb the").figure().page())
    found = page_doubts(doubtful)
    assert [d.weight for d in found] == sorted((d.weight for d in found), reverse=True)
    assert {d.stage for d in found} == {Stage.PROOF, Stage.TAG}


def test_cleaning_doubts_come_from_unsure_findings(maker: type[ContentMaker]) -> None:
    cleaned = Cleaned(
        width=1, height=1, dpi=300, turn=0, skew=0, trim=Box(0, 0, 1, 1), to_original=(1,) * 9, blank=False, colour=False,
        findings=(Finding(step="turn", says="perhaps", confidence=0.5), Finding(step="trim", says="sure")),
    )  # fmt: skip
    page = maker().add(Role.PARAGRAPH, "the light").page()
    assert [(d.key, d.stage) for d in page_doubts(page, cleaned)] == [("clean:turn", Stage.CLEAN)]
    assert page_doubts(apply(page, AcceptDoubt(key="clean:turn")), cleaned) == []


def test_a_word_is_corrected_parted_and_taken_away(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "landed withthe relief").page()
    parted = apply(page, SetWord(word_id="w2", text="with the"))
    words = list(parted.words)
    assert [w.text for w in words] == ["landed", "with", "the", "relief"]
    assert words[1].id == "w2" and words[2].id not in {"w1", "w2", "w3"}
    assert words[1].box.left == list(page.words)[1].box.left and words[2].box.right == list(page.words)[1].box.right
    assert words[1].box.right < words[2].box.left
    gone = apply(page, SetWord(word_id="w2", text=""))
    assert gone.regions[0].text == "landed relief"
    assert apply(page, AcceptWord(word_id="w2")).regions[0].lines[0].words[1].state is WordState.ACCEPTED


def test_a_line_keeps_the_words_that_did_not_change(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "the lamp was brocken today").page()
    line = apply(page, SetLine(region_id="r1", line=0, text="the old lamp was broken")).regions[0].lines[0]
    assert line.text == "the old lamp was broken"
    assert [w.state for w in line.words] == [
        WordState.READ,
        WordState.CORRECTED,
        WordState.READ,
        WordState.READ,
        WordState.CORRECTED,
    ]
    lefts = [w.box.left for w in line.words]
    assert lefts == sorted(lefts)


def test_text_keeps_its_line_ends(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "first line\nsecond lime").page()
    assert (
        apply(page, SetText(region_id="r1", text="first line\nsecond line")).regions[0].text
        == "first line\nsecond line"
    )
    with pytest.raises(EditError, match="2 lines"):
        apply(page, SetText(region_id="r1", text="all in one"))


def test_roles_move_regions_between_script_and_artifacts(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "a head").add(Role.PARAGRAPH, "body").figure().page()
    aside = apply(page, SetRole(region_id="r1", role=Role.RUNNING_HEAD))
    assert [r.id for r in aside.regions] == ["r2", "r3"] and [a.id for a in aside.artifacts] == ["r1"]
    back = apply(aside, SetRole(region_id="r1", role=Role.HEADING_2))
    assert [r.id for r in back.regions] == ["r1", "r2", "r3"]
    decorative = apply(page, SetAlternative(region_id="r3", decorative=True))
    assert [a.id for a in decorative.artifacts] == ["r3"]
    described = apply(page, SetAlternative(region_id="r3", text="A tower"))
    assert described.region("r3").alternative_text == "A tower"
    picture = apply(page, SetRole(region_id="r1", role=Role.FIGURE))
    assert page_doubts(picture)[0].key.startswith("tag:alternative")
    for role in (Role.PARAGRAPH, Role.TABLE):
        with pytest.raises(EditError):
            apply(page, SetRole(region_id="r3", role=role))


def test_order_is_changed_by_moving(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "a").add(Role.PARAGRAPH, "b").add(Role.PARAGRAPH, "c").page()
    assert [r.text for r in apply(page, Move(region_id="r3", before="r1")).regions] == ["c", "a", "b"]
    assert [r.text for r in apply(page, Move(region_id="r1")).regions] == ["b", "c", "a"]
    with pytest.raises(EditError):
        apply(page, Move(region_id="r1", before="r9"))
    with pytest.raises(EditError, match="r9"):
        apply(page, SetLanguage(region_id="r9", language="fra"))


@pytest.mark.parametrize(
    "request_,said",
    [
        (SetWord(word_id="w2", text="needle"), "“nedle” to “needle”"),
        (SetWord(word_id="w2", text=" "), "“nedle” taken away"),
        (AcceptWord(word_id="w2"), "“nedle” is right"),
        (SetRole(region_id="r1", role=Role.HEADING_2), "heading 2"),
        (SetAlternative(region_id="r2", decorative=True), "decorative picture"),
        (Move(region_id="r2", before="r1"), "reading order"),
        (AcceptDoubt(key="clean:turn"), "doubt left as it is"),
    ],
)
def test_changes_are_named_in_words(maker: type[ContentMaker], request_: Request, said: str) -> None:
    assert name(request_, maker().add(Role.PARAGRAPH, "the nedle valve").figure().page()) == said


def test_a_block_as_likely_in_another_language_is_a_doubt(maker: type[ContentMaker]) -> None:
    clear = "the boat could not land at the south steps and the keepers waited for the tender"
    unclear = "Hallvik 1931 Torgrunn Skarn Nord Hans Peter Jonas Berlin Paris London Oslo"
    page = maker().add(Role.PARAGRAPH, clear).add(Role.PARAGRAPH, unclear).page()

    def doubted(*languages: str) -> list[str]:
        found = page_doubts(page.model_copy(update={"languages": languages}))
        return [d.text or "" for d in found if d.kind == "language"]

    assert doubted("eng") == []
    assert doubted("eng", "fra") == [unclear]
    assert doubted("eng", "deu") == []  # it leads to German, and English is taken for set by hand


def test_decisions_without_a_place_are_doubts_of_the_first_rank(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "fine").page()
    (found,) = page_doubts(page, None, [(17, "“nedle” to “needle”")])
    assert found.stage is Stage.READ and found.weight > 0.9 and "“nedle” to “needle”" in found.reason
    assert page_doubts(apply(page, AcceptDoubt(key=found.key)), None, [(17, "x")]) == []


def test_document_rules() -> None:
    headings = [Heading(page=0, region_id="r1", level=1), Heading(page=0, region_id="r2", level=3)]
    keys = {d.key for _, d in document_doubts("scan-014", "scan-014", 30, headings)}
    assert keys == {"check:title", "check:level:r2"}
    assert {d.key for _, d in document_doubts("A title", "scan-014", 30, [])} == {"check:bookmarks"}
    assert document_doubts("A title", "scan-014", 20, headings[:1]) == []


@pytest.mark.parametrize(
    "text,others,confidence,says",
    [
        ("lamqs", (), 0.9, "Not in the English word list"),
        ("lamqs", (), 0.3, "Not in the English word list; its ink is unclear"),
        ("light", ("sight",), 0.8, "Two readings: “light” or “sight”"),
        ("1O4", (), 0.8, "Letters and figures in one word"),
        ("104", (), 0.8, "Figures, which no word list can confirm"),
        ("·", (), 0.7, "A mark alone: perhaps a speck"),
        ("light", (), 0.5, "Its ink is unclear"),
        ("light", (), 0.7, "A letter of it could be another"),
    ],
)
def test_a_doubtful_word_says_what_is_doubtful(
    text: str, others: tuple[str, ...], confidence: float, says: str
) -> None:
    word = Word(id="w", text=text, box=Box(0, 0, 9, 9), confidence=confidence, others=others)
    assert word_reason(word, "eng").startswith(says)


def test_ink_and_no_word_is_a_doubt_of_the_first_rank(maker: type[ContentMaker]) -> None:
    page = maker().figure("A lamp").page()
    worst = page_doubts(page, cleaned())[0]
    assert worst.key == "read:nothing" and worst.weight > 0.95
    assert all(d.key != "read:nothing" for d in page_doubts(page, cleaned(blank=True)))
    assert all(d.key != "read:nothing" for d in page_doubts(maker().add(Role.PARAGRAPH, "a word").page(), cleaned()))


def test_one_cause_on_every_page_is_one_doubt_of_the_document(tmp_path: Path, maker: type[ContentMaker]) -> None:
    store = Store(tmp_path / "data")
    coarse = Finding(step="quality", topic="resolution", says="Only 150 dpi.", value=150, confidence=0.6)
    pages = [maker().add(Role.PARAGRAPH, "the light").page() for _ in range(4)]
    document, _ = read_document(store, pages, how=cleaned(findings=(coarse,)))
    (told,) = [d for d in store.doubts.of_document(document) if d.kind == "quality"]
    assert (told.position, told.pages) == (0, (0, 1, 2, 3))
    assert store.doubts.count_document(document)["clean"] == 1
    assert [s.doubts for s in store.pages.states(document)][1:] == [s.doubts for s in store.pages.states(document)][
        1:2
    ] * 3
    # With fewer pages of it, each is told by itself.
    ids = store.pages.ids(document)
    store.settings.take_out(document, ids[:2])
    assert [d.pages for d in store.doubts.of_document(document) if d.kind == "quality"] == [(), ()]
    store.decisions.undo(document)
    # Left as it is, it is left on every page, and comes back with undo.
    revision = store.pages.page(ids[0]).revision
    outcome = store.decisions.leave_everywhere(ids[0], revision, AcceptDoubt(key=told.key))
    assert outcome.pages == set(ids)
    assert not [d for d in store.doubts.of_document(document) if d.kind == "quality"]
    store.decisions.undo(document)
    assert [d.pages for d in store.doubts.of_document(document) if d.kind == "quality"] == [(0, 1, 2, 3)]
    store.close()


def test_a_doubtful_word_names_its_unclear_letter() -> None:
    word = Word(id="w", text="rnaft", box=Box(0, 0, 50, 20), confidence=0.5, letters="94999")
    assert "“n” is unclear" in word_reason(word, "eng")
    assert "its ink is unclear" in word_reason(word.model_copy(update={"letters": "44444"}), "eng")
    assert "its ink is unclear" in word_reason(word.model_copy(update={"letters": ""}), "eng")


def test_a_near_tie_of_the_order_is_one_doubt_until_the_order_is_set_by_hand(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "left column").add(Role.PARAGRAPH, "right column").page()
    tied = page.model_copy(update={"near_ties": ("r2",)})
    (doubt,) = (d for d in page_doubts(tied) if d.kind == "order")
    assert "right column" in doubt.reason and doubt.region_id == "r2"
    assert not any(d.kind == "order" for d in page_doubts(apply(tied, Move(region_id="r2", before="r1"))))
    assert not any(d.kind == "order" for d in page_doubts(apply(tied, AcceptDoubt(key=doubt.key))))


def test_words_in_a_column_of_figures_are_one_doubt(maker: type[ContentMaker]) -> None:
    rows = [
        ["Station", "Oil"],
        ["Torgrunn", "96"],
        ["Ravnholm", "45"],
        ["Mewstone", "us"],
        ["Tern", "nil"],
        ["Grey", "31"],
    ]
    (doubt,) = (d for d in page_doubts(maker().table(rows).page()) if d.kind == "cell")
    assert "A cell in columns of figures holds no figure: “us”" in doubt.reason
    rows[3][1] = "17"
    assert not any(d.kind == "cell" for d in page_doubts(maker().table(rows).page()))


def test_a_corrected_word_keeps_its_link_its_colour_and_its_lowered_letter(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "burns C02 here").page()
    lowered = (Part(2, 3, Style.SUBSCRIPT),)

    def dressed(line: Line) -> Line:
        more = {"link": "https://skarnholm.example", "colour": "b01020", "parts": lowered}
        return line.model_copy(
            update={"words": tuple(w.model_copy(update=more if w.text == "C02" else {}) for w in line.words)}
        )

    page = page.with_lines(dressed)
    words = list(apply(page, SetWord(word_id="w2", text="CO2")).words)
    assert (words[1].text, words[1].link, words[1].colour, words[1].parts) == (
        "CO2", "https://skarnholm.example", "b01020", lowered,
    )  # fmt: skip
    longer = list(apply(page, SetWord(word_id="w2", text="CO2-gas")).words)[1]
    assert longer.parts == () and longer.link == "https://skarnholm.example"
