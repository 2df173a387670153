"""Chances that words are wrong: the model's arithmetic, calibration, what is left, and what a word may be."""

from __future__ import annotations

import random
import re
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz.distance import Levenshtein
from sklearn.calibration import calibration_curve
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.metrics import brier_score_loss
from spylls.hunspell import Dictionary
from wordfreq import top_n_list
from wordfreq import zipf_frequency as reference_frequency

from bench.doubts import calibration_error, caught, flagged_for
from bench.proofing_pages import exact, plain, worn_page, wrong_words
from hyalen.core.frequencies import Frequencies, zipf_frequency
from hyalen.core.model.content import Cell, Line, PageContent, Region, RegionKind, Role, Table, Word
from hyalen.core.model.geometry import Box
from hyalen.core.model.packing import KEPT_WHOLE, packed, unpacked
from hyalen.core.proofing.chance import judge, model_of, with_evidence
from hyalen.core.proofing.confusions import confused, distance, misreadings
from hyalen.core.proofing.doubts import word_reason
from hyalen.core.proofing.evidence import FEATURES, Known, evidence
from hyalen.core.proofing.placed import proofed_words
from hyalen.core.proofing.remaining import Left, worth_a_look
from hyalen.core.proofing.sampling import more_for, wilson
from hyalen.core.proofing.suggest import by_its_place, suggestions
from hyalen.core.read import read_content
from hyalen.demo.archive import LETTER_1
from hyalen.demo.typeset import Typesetter
from tests.conftest import ContentMaker, make_line, worn
from tools.fit_chances import numbers

HUNSPELL = Path("/usr/share/hunspell/en_US")
short = st.text(alphabet="abcmnrl1I0oOtfé", max_size=8)


def test_trees_give_what_the_library_gives_that_fitted_them() -> None:
    """scikit-learn's own probabilities, to a millionth."""
    rng = np.random.default_rng(1)
    rows = rng.normal(size=(2_000, len(FEATURES))).astype(np.float32)
    wrong = rows[:, 0] + rows[:, 3] * rows[:, 5] + rng.normal(size=2_000) > 1
    made = HistGradientBoostingClassifier(max_iter=30, max_leaf_nodes=8).fit(rows, wrong)
    fresh = rng.normal(size=(500, len(FEATURES))).astype(np.float32)
    ours = model_of(numbers(made)).chances(fresh)
    assert np.abs(ours - made.predict_proba(fresh)[:, 1]).max() < 1e-4
    with pytest.raises(ValueError, match="other evidence"):
        model_of(numbers(made) | {"features": ["something"]})


def test_calibration_is_measured_as_the_library_measures_it() -> None:
    rng = np.random.default_rng(2)
    chances = rng.beta(1, 8, 5_000)
    wrong = rng.random(5_000) < chances**1.2
    shares, means = calibration_curve(wrong, chances, n_bins=10)
    counts = np.histogram(chances, bins=10, range=(0, 1))[0]
    weights = counts[counts > 0] / 5_000
    assert calibration_error(chances, wrong) == pytest.approx(float((np.abs(shares - means) * weights).sum()), abs=1e-9)
    assert np.mean((chances - wrong) ** 2) == pytest.approx(brier_score_loss(wrong, chances))
    assert caught(np.array([0.9, 0.1, 0.8, 0.2]), np.array([True, True, False, False]), 0.5) == 0.5
    assert flagged_for(np.array([0.9, 0.1, 0.8, 0.2]), np.array([True, True, False, False])) == 1.0
    assert flagged_for(np.array([0.9, 0.1, 0.8, 0.2]), np.array([True, False, True, False])) == 0.5


def test_what_is_left_lies_between_the_two_numbers_nineteen_times_of_twenty() -> None:
    rng = np.random.default_rng(3)
    chances = rng.beta(0.3, 12, 3_000)
    left = Left.of(chances.tolist())
    low, high = left.between
    held = [low <= (rng.random(3_000) < chances).sum() <= high for _ in range(300)]
    assert np.mean(held) >= 0.95  # the model's own error makes it wider
    assert left + Left.of([0.5]) == Left(3_001, left.expected + 0.5, left.variance + 0.25)
    assert Left().accuracy == 1.0 and Left().between == (0, 0)


def test_doubts_worth_a_look_are_those_that_a_goal_takes() -> None:
    chances = [0.9, 0.8, 0.5, 0.2, 0.1]
    left = Left(1_000, sum(chances), 0.0)
    assert worth_a_look(left, chances, 0.995) == 0
    assert worth_a_look(left, chances, 0.999) == 2  # 0.8 of one wrong word in a thousand is left then
    assert worth_a_look(left, chances, 1.0) == 5


@given(short, short)
def test_a_misreading_costs_no_more_than_an_edit_and_nothing_only_where_nothing_differs(a: str, b: str) -> None:
    assert distance(a, b) <= Levenshtein.distance(a, b) + 1e-9
    assert (distance(a, b) == 0) == (a == b)
    assert distance(a, b) == pytest.approx(distance(b, a))


@given(short)
def test_every_misreading_is_one_cheap_step_away(text: str) -> None:
    for meant in misreadings(text):
        assert distance(text, meant) <= 0.3 + 1e-9


def test_a_confusion_is_told_from_its_two_sides() -> None:
    assert confused("tbe", "the") == ("b", "h") and confused("corn", "com") == ("rn", "m")
    assert confused("same", "same") is None and confused("entirely", "otherwise") is None


@pytest.mark.parametrize("base", ["en", "de", "fr", "el", "ar"])
def test_words_are_as_frequent_as_the_lists_library_says(base: str) -> None:
    told = [*top_n_list(base, 30_000)[::100], "1931", "12.3", "don't", "l'eau", "ÉTÉ", "12th", "xqzzk"]
    assert [zipf_frequency(word, base) for word in told] == pytest.approx(
        [reference_frequency(word, base) for word in told], abs=0.011
    )


def word(text: str, **more: object) -> Word:
    return Word(id="w", text=text, box=Box(0, 0, 9, 9), confidence=0.5, **more)  # type: ignore[arg-type]


def test_what_was_meant_is_suggested_first_and_hunspell_knows_it() -> None:
    """Misreadings of common words; Debian's hunspell list, read by spylls, judges what is suggested."""
    rng = random.Random(4)
    wanted = [w for w in top_n_list("en", 6_000)[800:] if w.isalpha() and 5 <= len(w) <= 10]
    tried = []
    for meant in rng.sample(wanted, 120):
        readings = [r for r in misreadings(meant) if zipf_frequency(r, "en") == 0 and r.isalpha()]
        if readings:
            tried.append((rng.choice(readings), meant))
    offered = {read: suggestions(word(read), "eng", {}) for read, _ in tried}
    assert sum(meant == offered[read][0] for read, meant in tried) >= 0.75 * len(tried)
    assert sum(meant in offered[read][:3] for read, meant in tried) >= 0.95 * len(tried)
    hunspell = Dictionary.from_files(str(HUNSPELL))
    first = [offered[read][0] for read, _ in tried]
    assert sum(hunspell.lookup(w) or hunspell.lookup(w.capitalize()) for w in first) >= 0.85 * len(first)


def test_a_word_list_that_is_laid_out_says_what_it_said_before(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    paths = tmp_path / "words.npy", tmp_path / "levels.npy"
    monkeypatch.setattr("hyalen.core.frequencies._paths", lambda base: paths)
    assert Frequencies.kept("en") is None
    made = Frequencies.of([["the"], [], ["lamp", "fyr"], ["\ud800"]])
    made.keep("en")
    kept = Frequencies.kept("en")
    assert kept is not None
    for each in (made, kept):
        assert [each.zipf(w) for w in ("the", "fyr", "\ud800", "oil")] == [9.0, 8.98, 8.97, 0.0]
        assert each.known(["oil", "lamp", "the"], 8.98) == ["the"]
    paths[1].write_bytes(b"")  # a disk that was full
    assert Frequencies.kept("en") is None


def test_suggestions_know_the_document_the_lists_other_readings_and_what_was_taught() -> None:
    assert suggestions(word("Tomgrunn,"), "eng", {"torgrunn": 12})[0] == "Torgrunn,"
    assert suggestions(word("Skamholm"), "eng", {}, {"skarnholm"})[0] == "Skarnholm"
    seen = word("EY").model_copy(update={"recognised": "à 2"})
    assert suggestions(seen, "fra", {})[0] == "à 2"
    specked = word("the,winter.").model_copy(update={"recognised": "the.winter."})
    assert suggestions(specked, "eng", {})[:2] == ["the winter.", "the.winter."]
    assert suggestions(word("ofthe"), "eng", {})[0] == "of the"
    assert "1931" in suggestions(word("193l"), "eng", {}) and "HARBOUR" in suggestions(word("HARBDUR"), "eng", {})
    assert suggestions(word("lwo", others=("two",)), "eng", {})[0] == "two"
    assert suggestions(word("in'"), "eng", {})[0] == "in" and suggestions(word("'lamp.,"), "eng", {})[:2] == [
        "lamp.",
        "lamp",
    ]
    assert "lamp" not in suggestions(word("lamp,"), "eng", {})
    assert "l" not in suggestions(word("l’"), "fra", {})[:1]  # an elision is no speck
    plain_order = suggestions(word("hat"), "eng", {})
    taught = suggestions(word("hat"), "eng", {}, taught={("h", "b"): 3})
    assert taught.index("bat") < plain_order.index("bat")
    assert all(s[0].isdigit() for s in suggestions(word("17"), "eng", {}))


def test_a_list_and_the_document_speak_for_a_word(maker: type[ContentMaker]) -> None:
    page = worn(maker().add(Role.PARAGRAPH, "The light of Grimhaug was lit").page())

    def chance(known: Known) -> float:
        return next(j.chance for j in judge(page, known) if j.placed.word.text == "Grimhaug")

    alone = chance(Known())
    assert chance(Known(listed=frozenset({"grimhaug"}))) < 0.2 * alone
    assert chance(Known(count=lambda core: 40 if core == "grimhaug" else 0)) < alone


def test_evidence_that_is_told_later_is_what_the_chance_was_told_from(maker: type[ContentMaker]) -> None:
    page = worn(maker().add(Role.PARAGRAPH, "The lamp of Skamholrn was lit, and the kcepers wrote it down.").page())
    known = Known(count=lambda core: 7)
    judged = judge(page, known)
    worst = max(judged, key=lambda each: each.chance).placed.word.id
    bare = [each._replace(evidence=None) for each in judged]
    later = with_evidence(page, bare, known, {worst})
    assert [each.placed.word.id for each in later if each.evidence is not None] == [worst]
    for before, after in zip(judged, later, strict=True):
        assert after.chance == before.chance
        if after.evidence is not None:
            assert before.evidence is not None and np.array_equal(after.evidence, before.evidence)


def test_content_that_is_kept_is_what_its_bytes_say(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "The lamp was lit.").page()
    data = packed(page, keep=True)
    assert unpacked(data) is page
    for number in range(KEPT_WHOLE):
        unpacked(packed(page.model_copy(update={"dpi": 100.0 + number})))
    assert unpacked(data) == page and unpacked(data) is not page


def test_a_word_in_two_lines_is_judged_whole(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "the uncondi-\ntional order").page()
    unknown = evidence(page, proofed_words(page))[:, FEATURES.index("unknown")]
    assert not unknown.any()


def test_wrong_words_are_told_as_in_isris_word_accuracy(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "“The Keeper’s lamp, har-\nbour tbe 1931.").page()
    words = proofed_words(page)
    wrong = wrong_words(words, "the keeper's lamp harbour the 1931")
    assert [w.word.text for w, is_wrong in zip(words, wrong, strict=True) if is_wrong] == ["tbe"]
    assert plain("«Étude»,") == "étude"


def test_a_wrong_mark_or_capital_makes_a_word_wrong_to_the_letter(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "“The keeper’s lamp. Har-\nbour lights; lamps.").page()
    words = proofed_words(page)
    wrong = wrong_words(words, "\"The keeper's lamp, harbour lights; lamps.", exact)
    assert [w.word.text for w, is_wrong in zip(words, wrong, strict=True) if is_wrong] == ["lamp.", "Har-", "bour"]


def seen(page: PageContent, feature: str) -> dict[str, float]:
    words = proofed_words(page)
    column = evidence(page, words)[:, FEATURES.index(feature)].tolist()
    return {p.word.text: value for p, value in zip(words, column, strict=True)}


def test_marks_and_capitals_are_judged_in_their_sentence(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "The lamp burns. it (was seen. The wick, Trimmed »late" + " x").page()
    ends, begins = seen(page, "sentence"), seen(page, "capital")
    assert ends["burns."] == -1 and ends["seen."] == 1 and ends["wick,"] < 0 and ends["lamp"] == 1
    assert begins["it"] == -1 and begins["Trimmed"] < 0 and begins["The"] == 1
    unpaired = seen(page, "unpaired")
    assert {text for text, alone in unpaired.items() if alone} == {"(was", "»late"}
    paired = maker().add(Role.PARAGRAPH, "(the lamp) “of the” «light»").page()
    assert not any(seen(paired, "unpaired").values())


def test_a_bullet_is_told_by_its_shape_and_no_doubt(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.LIST_ITEM, "• Everyone has the right to it").add(Role.LIST_ITEM, "· Everyone else").page()
    chances = {j.placed.word.text: j.chance for j in judge(page)}
    assert chances["•"] < 0.005 < chances["·"]


def test_a_sentence_goes_on_in_the_next_paragraph_but_not_in_a_heading(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "The lamp was").add(Role.PARAGRAPH, "Lit it.").add(Role.HEADING_2, "oil").page()
    begins = seen(page, "capital")
    assert begins["Lit"] == -0.5 and begins["oil"] == 0


def test_what_a_lines_end_parts_without_a_hyphen_is_one_word(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "weather so dismal and per\nsistently adverse as the\nlamp of\nlight").page()
    told = seen(page, "parted")
    assert told["per"] > 1 and told["sistently"] == told["per"] and told["the"] == told["lamp"] == told["and"] == 0
    assert seen(page, "line_start")["sistently"] == 1 and seen(page, "line_start")["per"] == 0
    words = proofed_words(page)
    assert by_its_place(words, 4, "eng") == ["per-"] and by_its_place(words, 3, "eng") == []


def test_a_known_word_may_be_another_by_its_place(maker: type[ContentMaker]) -> None:
    text = "Wild goose. heron, and what they\nWere then. here was one. The Keeper came"
    words = proofed_words(maker().add(Role.PARAGRAPH, text).page())
    told = {p.word.text: by_its_place(words, i, "eng") for i, p in enumerate(words)}
    assert told["goose."] == ["goose,", "goose"] and told["Were"] == ["were"] and told["here"] == ["Here"]
    assert told["then."][0] == "then," and told["Keeper"] == told["one."] == told["Wild"] == []
    english = proofed_words(maker().add(Role.PARAGRAPH, "for the\nWinter was here").page())
    german = [p._replace(region=p.region.model_copy(update={"language": "deu"})) for p in english]
    assert by_its_place(english, 2, "eng") == ["winter"] and by_its_place(german, 2, "eng") == []
    assert suggestions(word("goose."), "eng", {}, placed=["goose,"])[0] == "goose,"
    assert suggestions(word("goose.", others=("geese.",)), "eng", {}, placed=["goose,"])[:2] == ["geese.", "goose,"]


def test_what_the_ink_says_of_a_words_marks_and_the_same_word_with_others_are_seen(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "Ibid, Ibid. Ibid. lamp, Ibid.").page()
    others = {"Ibid,": ("Ibid.",), "lamp,": ("lump,",)}

    def told(line: Line) -> Line:
        words = tuple(w.model_copy(update={"others": others.get(w.text, ())}) for w in line.words)
        return line.model_copy(update={"words": words})

    page = page.with_lines(told)
    assert seen(page, "other_marks") == {"Ibid,": 1, "Ibid.": 0, "lamp,": 0}
    assert seen(page, "same_marks") == {"Ibid,": 0.25, "Ibid.": 0.75, "lamp,": 1}


def test_words_without_a_space_between_and_numbers_unlike_the_others_are_seen(maker: type[ContentMaker]) -> None:
    page = (
        maker().add(Role.PARAGRAPH, "lamp.The oil,and 1943.the 12.5 14.7 9.25 31-4 e.g. keeper’s 3.1 of-shore").page()
    )
    joined = {text for text, told in seen(page, "joined").items() if told}
    assert {"lamp.The", "oil,and", "1943.the"} <= joined and not joined & {"12.5", "31-4", "keeper’s", "of-shore"}
    usual = seen(page, "usual_number")
    assert usual["31-4"] == 0 and usual["12.5"] > 0.5 and usual["of-shore"] == 1


def test_a_reason_is_told_for_marks() -> None:
    word = Word(id="w1", text="(lamp.The", box=Box(0, 0, 90, 20), confidence=0.9, letters="999994999")
    told = {"unknown": 0.0, "joined": 1.0, "unpaired": 1.0, "sentence": -1.0, "least_mark": 4.0, "usual_number": 0.1}
    told |= {"capital": -0.5, "same_shape": 1.0, "line_start": 1.0, "parted": 2.0}
    assert "a capital" not in word_reason(word, "deu", told)
    says = word_reason(word, "eng", told)
    for part in (
        "a capital within a sentence",
        "over the line's end",
        "without the space",
        "other signs",
        "without the other one",
        "before a small letter",
        "“.” is unclear",
    ):
        assert part in says


def test_other_readings_are_kept_with_unsure_words(setter: Typesetter) -> None:
    page = setter.set(LETTER_1, 100)
    content = read_content(page.image, page.dpi, ("eng",))
    told = [w for w in content.words if w.recognised is not None]
    assert told and sum(w.recognised == w.text for w in told) > 0.4 * len(told)
    assert len(told) < 0.5 * len(list(content.words))  # the worst only: it takes time
    assert all(w.second is None for w in told if w.recognised == w.text)  # agreed on, they are not read a third time


def test_worn_type_is_seen_otherwise_than_it_was_set_in_its_letters_and_marks_only() -> None:
    page = worn_page(60_001)
    assert page.worn is not None and page.film is not None
    tags = re.compile(r"<[^>]*>")
    assert tags.findall(page.worn) == tags.findall(page.html)
    before, after = (tags.sub("", text.partition("</style>")[2]) for text in (page.html, page.worn))
    off = Levenshtein.distance(before, after)
    assert 0 < off < 0.02 * len(before) and after.count(",") < before.count(",")


def test_the_worst_words_of_a_spoilt_page_come_first(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "the keeper writes tbe log and lights tlie lamp of l9З1 at Torgrunn").page()

    def unsure(line: Line) -> Line:
        bad = {"tbe", "tlie", "l9З1"}
        return line.model_copy(
            update={
                "words": tuple(w.model_copy(update={"confidence": 0.6 if w.text in bad else 0.96}) for w in line.words)
            }
        )

    judged = sorted(judge(page.with_lines(unsure)), key=lambda j: -j.chance)
    assert {j.placed.word.text for j in judged[:3]} == {"tbe", "tlie", "l9З1"}
    assert all(a.chance >= b.chance for a, b in pairwise(judged))
    assert judge(PageContent(width=10, height=10, dpi=300)) == []


@pytest.mark.parametrize(
    "right,of,low,high",
    [
        (81, 263, 0.2553, 0.3662),
        (15, 148, 0.0624, 0.1605),
        (0, 20, 0.0, 0.1611),
        (1, 29, 0.0061, 0.1718),
        (29, 29, 0.8830, 1.0),
    ],
)
def test_the_interval_is_wilsons(right: int, of: int, low: float, high: float) -> None:
    """Newcombe, "Two-sided confidence intervals for the single proportion", Statistics in Medicine 17, 1998, table I,

    method 3; the values are from memory.
    """
    assert wilson(right, of) == pytest.approx((low, high), abs=6e-5)


def test_so_many_more_make_the_interval_as_narrow_as_is_wanted() -> None:
    more = more_for(48, 50, 0.01)
    share = 48 / 50
    assert wilson(round(share * (50 + more)), 50 + more).reach <= 0.01
    assert wilson(round(share * (30 + more)), 30 + more).reach > 0.01 - 2e-4
    assert more_for(5_000, 5_000, 0.05) == 0 and more_for(0, 0, 0.1) > 0


def test_figures_of_a_column_that_adds_up_are_hardly_doubted() -> None:
    def table(total: str) -> PageContent:
        ids = ContentMaker().ids
        rows = [("Light", "Oil", "Wick"), ("Hallvik", "14", "7"), ("Torgrunn", "31", "5"), ("Total", "45", total)]
        cells = tuple(
            Cell(row=r, column=c, header=r == 0, box=Box(300 * c, 100 * r, 300 * c + 200, 100 * r + 50),
                 lines=(make_line(text, 300 * c, 100 * r, ids, confidence=0.5),))
            for r, row in enumerate(rows) for c, text in enumerate(row)
        )  # fmt: skip
        grid = Table(rows=4, columns=3, cells=cells)
        region = Region(
            id="r1", kind=RegionKind.TABLE, role=Role.TABLE, outline=Box(0, 0, 900, 400).polygon(), table=grid
        )
        return PageContent(width=1000, height=1400, dpi=100, regions=(region,), languages=("eng",))

    right = {j.placed.word.text: j.chance for j in judge(table("12"))}
    wrong = {j.placed.word.text: j.chance for j in judge(table("13"))}
    assert right["7"] < 0.1 * wrong["7"] and right["12"] < 0.1 * wrong["13"]
    assert right["14"] == pytest.approx(wrong["14"]) and right["Hallvik"] == pytest.approx(wrong["Hallvik"])
