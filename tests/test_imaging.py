"""Cleaning, on pages whose truth is known."""

from __future__ import annotations

import io
from functools import partial
from typing import Any

import cv2
import numpy as np
import pytest
from PIL import Image as Pillow
from skimage import data as skimage_data

from bench.material import DIRTY, Case
from hyalen.core.formats.codecs import decode, to_array
from hyalen.core.imaging.background import estimate_paper, is_coloured, whiten
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.despeckle import despeckle
from hyalen.core.imaging.orientation import FoundTurn, line_direction, quarter_turned
from hyalen.core.imaging.pixels import Image, grey, pieces
from hyalen.core.imaging.resolution import settle_resolution
from hyalen.core.imaging.skew import estimate_skew
from hyalen.core.imaging.trim import find_paper
from hyalen.core.model.found import FoundWord
from hyalen.core.model.geometry import Box
from hyalen.core.model.treatment import Straighten, Switch, Treatment, Trim, Turn
from hyalen.core.reading import upright
from hyalen.core.reading.upright import find_turn, less_badly
from hyalen.demo.spoil import AGED, Spoiling, spoil
from tests.conftest import Pages

UPRIGHT = FoundTurn(0, 1.0)


def as_is(image: np.ndarray, dpi: float) -> FoundTurn:
    return UPRIGHT


@pytest.mark.parametrize(
    "degrees,language,columns",
    [(-14.2, "eng", 1), (-0.4, "eng", 1), (9.9, "eng", 2), (-6.35, "rus", 2), (0.07, "rus", 1), (2.18, "ara", 1)],
)
def test_skew_is_found_within_the_contests_tenth_of_a_degree(
    pages: Pages, degrees: float, language: str, columns: int
) -> None:
    # ICDAR 2013 DISEC counts an estimate as correct within 0.1 degree (from memory).
    page = pages.truth(Case("skew", language, Spoiling(), columns=columns))
    how = Spoiling(skew=degrees, bed=0.3, tint=AGED, shade=0.2, specks=200, noise=4)
    found = estimate_skew(spoil(page.image, 300, how, seed=3), 300)
    assert abs(found.degrees - degrees) <= 0.1
    assert found.confidence > 0.75


def test_skew_of_a_blank_page_claims_nothing(blank_page: np.ndarray) -> None:
    assert estimate_skew(blank_page, 300) == (0.0, 0.0)


@pytest.mark.parametrize(
    "turn,language,told",
    [
        (0, "eng", "own"),
        (90, "ell", "own"),
        (180, "ara", "own"),
        (270, "eng", "own"),
        (180, "ell", "auto"),
        (90, "ara", "auto"),
    ],
)
def test_upright_turn_is_found(pages: Pages, turn: int, language: str, told: str) -> None:
    page = pages.truth(Case("turn", language, Spoiling()))
    scan = spoil(page.image, 300, Spoiling(skew=1.3, tint=AGED, noise=4, turn=turn), seed=4)
    found = find_turn(scan, 300, (language if told == "own" else "auto",))
    assert found.degrees == (360 - turn) % 360


def test_the_way_up_is_told_from_letters_and_not_from_the_sheets_edges(
    pages: Pages, monkeypatch: pytest.MonkeyPatch
) -> None:
    page = np.asarray(grey(pages.truth(Case("turn", "eng", Spoiling())).image)).copy()
    page[100:118, 40:-40] = 0
    read: list[int] = []

    read_line = upright._read_line

    def spy(line: Image, *told: Any) -> list[FoundWord]:
        read.append(int((line < 128).sum(axis=1).max()) * 100 // line.shape[1])
        return read_line(line, *told)

    monkeypatch.setattr(upright, "_read_line", spy)
    assert find_turn(page, 300).degrees == 0
    assert read and max(read) < 80  # per cent of a row that is ink


@pytest.mark.parametrize(
    ("pairs", "up"),
    [
        ([(0.13, 0.03), (0.0, 0.0), (0.21, 0.08), (0.54, 0.04)], 0),
        ([(0.03, 0.13), (0.08, 0.21), (0.04, 0.54)], 180),
        ([(0.21, 0.08), (0.54, 0.04)], None),  # two lines tell nothing
        ([(0.13, 0.03), (0.21, 0.08), (0.54, 0.04), (0.1, 0.3)], None),  # nor do some that disagree
    ],
)
def test_lines_that_read_badly_either_way_tell_the_way_up_where_all_agree(
    pairs: list[tuple[float, float]], up: int | None
) -> None:
    assert less_badly(pairs) == up


def test_lines_run_across_scikit_images_page_photograph() -> None:
    # skimage.data.page: a photographed page of Russian print, upright.
    assert line_direction(skimage_data.page(), 100).upright
    assert not line_direction(quarter_turned(skimage_data.page(), 90), 100).upright


def test_page_without_text_keeps_its_turn_and_says_so(blank_page: np.ndarray) -> None:
    found = find_turn(blank_page, 300)
    assert found.degrees == 0
    assert found.confidence < 0.75
    assert found.reason


@pytest.mark.parametrize("skew,level", [(0.0, 30), (3.1, 20), (-2.4, 70)])
def test_bed_is_cut_and_no_word_with_it(pages: Pages, skew: float, level: int) -> None:
    truth = pages.truth(Case("bed", "eng", Spoiling()))
    how = Spoiling(skew=skew, bed=0.4, bed_level=level, tint=AGED, shade=0.2)
    scan = spoil(truth.image, 300, how, seed=5)
    *_, cleaned = clean_page(scan, 300, Treatment(), as_is)
    inverse = np.linalg.inv(np.array(cleaned.to_original).reshape(3, 3))
    height, width = scan.shape[:2]
    rotation = cv2.getRotationMatrix2D((width / 2, height / 2), skew, 1.0)
    border = int(0.4 * 300)
    for block in truth.blocks:
        for word in block.words:
            corners = np.array([[x + border, y + border, 1.0] for x, y in word.box.polygon()])
            in_scan = corners @ rotation.T
            found = np.c_[in_scan, np.ones(4)] @ inverse.T
            assert found[:, 0].min() >= 0 and found[:, 0].max() <= cleaned.width
            assert found[:, 1].min() >= 0 and found[:, 1].max() <= cleaned.height
    kept_bed = max(0, cleaned.width - truth.image.shape[1]) + max(0, cleaned.height - truth.image.shape[0])
    assert kept_bed <= 0.02 * 4 * border


def test_page_without_bed_is_kept_whole(pages: Pages) -> None:
    truth = pages.truth(Case("bed", "eng", Spoiling()))
    assert find_paper(truth.image, 300) == Box(0, 0, truth.image.shape[1], truth.image.shape[0])


def test_tinted_uneven_paper_becomes_white_and_ink_stays(pages: Pages) -> None:
    truth = pages.truth(Case("bed", "eng", Spoiling()))
    scan = spoil(truth.image, 300, Spoiling(tint=AGED, shade=0.4, noise=4), seed=6)
    white = whiten(scan, estimate_paper(scan, 300))
    paper = truth.image.min(axis=2) == 255
    far = cv2.erode(paper.astype(np.uint8), np.ones((9, 9), np.uint8)) == 1
    ink = truth.image.max(axis=2) < 40
    assert (white[far].min(axis=1) >= 240).mean() > 0.99
    assert np.median(white[ink]) < 90


def test_coloured_ink_is_told_from_tinted_paper(pages: Pages) -> None:
    truth = pages.truth(Case("bed", "eng", Spoiling()))
    tinted = spoil(truth.image, 300, Spoiling(tint=AGED, shade=0.3), seed=7)
    assert not is_coloured(whiten(tinted, estimate_paper(tinted, 300)), 300)
    stamped = tinted.copy()
    cv2.circle(stamped, (1800, 3000), 200, (160, 30, 40), 20)
    assert is_coloured(whiten(stamped, estimate_paper(stamped, 300)), 300)
    _, image, cleaned = clean_page(stamped, 300, Treatment(), as_is)
    assert cleaned.colour and image.ndim == 3


def test_specks_go_and_dots_accents_and_leaders_stay(setter) -> None:
    page = setter.set(
        '<html lang="fr"><body style="font:11pt Liberation Serif;margin:30mm"><p>Été, naïf, façade; i j ä ö. Le feu demeure inchangé : deux éclats !</p>'
        "<p>Contents . . . . . . . . . . . . . . . . . . . . . 12</p></body></html>"
    )
    clean = page.image[:, :, 0]
    untouched, removed = despeckle(clean, 300)
    assert removed == 0 and np.array_equal(untouched, clean)
    specked = clean.copy()
    rng = np.random.default_rng(8)
    spots = [(int(rng.integers(300, 2200)), int(rng.integers(1500, 3200))) for _ in range(60)]
    for spot in spots:
        cv2.circle(specked, spot, 2, 60, -1)
    mended, removed = despeckle(specked, 300)
    assert removed >= 55
    assert (mended[1500:] < 128).sum() <= 5 * 13


def test_single_dots_stay_where_most_dots_over_stems_are_two_that_run_together() -> None:
    """As in Arabic print: a dot is half and less of what stands over the stems."""
    page = np.full((700, 1500), 255, np.uint8)
    for row in range(4):
        for column in range(30):
            x, y = 100 + 40 * column, 100 + 150 * row
            cv2.rectangle(page, (x, y), (x + 4, y + 28), 0, -1)
            cv2.rectangle(page, (x - 4, y - 18), (x + 5, y - 10), 0, -1)
            cv2.rectangle(page, (x, y + 36), (x + 3, y + 39), 0, -1)
    untouched, removed = despeckle(page, 300)
    assert removed == 0 and np.array_equal(untouched, page)


def test_fibres_go_and_dashes_and_lone_figures_stay(setter) -> None:
    page = setter.set(
        '<html lang="en"><body style="font:8pt Liberation Serif;margin:30mm"><table style="width:140mm">'
        + "".join(f"<tr><td>Oil {n}<td>1<td>–<td>/<td>{n}.5" for n in range(2, 14))
        + "</table>"
    )
    clean = page.image[:, :, 0]
    untouched, removed = despeckle(clean, 300)
    assert removed == 0 and np.array_equal(untouched, clean)
    rng = np.random.default_rng(4)
    fibred = clean.copy()
    for _ in range(40):  # 14 by 2 pixels, at any angle
        x, y, angle = int(rng.integers(300, 2200)), int(rng.integers(1700, 3300)), rng.uniform(0, np.pi)
        cv2.line(fibred, (x, y), (x + int(14 * np.cos(angle)), y + int(14 * np.sin(angle))), 60, 2)
    mended, removed = despeckle(fibred, 300)
    assert removed >= 38 and (mended[1700:] < 128).sum() < 100 and np.array_equal(mended[:1600], clean[:1600])


def test_specks_within_a_tables_frame_go_and_its_rules_stay() -> None:
    page = np.full((900, 1200), 255, np.uint8)
    cv2.rectangle(page, (100, 100), (1100, 800), 0, 4)
    cv2.line(page, (600, 100), (600, 800), 0, 4)
    framed = page.copy()
    for spot in ((350, 300), (800, 650), (300, 600)):
        cv2.circle(page, spot, 2, 60, -1)
    mended, removed = despeckle(page, 300)
    assert removed == 3 and np.array_equal(mended, framed)


@pytest.mark.parametrize(
    "width,height,stated,dpi",
    [
        (2480, 3508, 300, 300), (2480, 3508, None, 300), (2480, 3508, 72, 300), (1240, 1754, None, 150),
        (2550, 3300, None, 300), (3508, 2480, 0, 300), (2480, 3508, 99999, 300), (4960, 7016, 1, 600),
        (4000, 5657, None, 484),
    ],
)  # fmt: skip
def test_resolution_is_believed_or_estimated(width: int, height: int, stated: float | None, dpi: float) -> None:
    # ISO 216: A4 is 210 x 297 mm; ANSI/ASME Y14.1: Letter is 8.5 x 11 inches.
    found = settle_resolution(width, height, stated)
    assert found.dpi == pytest.approx(dpi, rel=0.01)
    assert bool(found.reason) == (stated != dpi)


def test_points_of_the_cleaned_page_lead_back_to_the_original(pages: Pages) -> None:
    truth = pages.truth(Case("bed", "eng", Spoiling()))
    scan = spoil(truth.image, 300, Spoiling(skew=2.0, bed=0.3, turn=90), seed=9)
    turn = partial(find_turn, languages=("eng",))
    _, image, cleaned = clean_page(scan, 300, Treatment(), turn)
    y, x = np.argwhere(image < 40)[5000]
    to_original = np.array(cleaned.to_original).reshape(3, 3)
    ox, oy, _ = to_original @ [x, y, 1]
    window = scan[int(oy) - 2 : int(oy) + 4, int(ox) - 2 : int(ox) + 4]
    assert window.min() < 90


def test_steps_can_be_switched_off_and_set_by_hand(pages: Pages) -> None:
    scan = pages.scan(Case("dirty", "eng", DIRTY.with_skew(2.0)))
    off = Treatment(
        turn=Turn(switch=Switch.OFF), straighten=Straighten(switch=Switch.OFF), trim=Trim(switch=Switch.OFF)
    )
    *_, cleaned = clean_page(scan, 300, off, find_turn)
    assert (cleaned.turn, cleaned.skew, cleaned.width) == (0, 0.0, scan.shape[1])
    by_hand = Treatment(
        turn=Turn(switch=Switch.BY_HAND, degrees=90),
        straighten=Straighten(switch=Switch.BY_HAND, degrees=1.0),
        trim=Trim(switch=Switch.BY_HAND, box=(1 / 3, 1 / 3, 3.0, 13 / 3)),
    )
    *_, cleaned = clean_page(scan, 300, by_hand, find_turn)
    assert (cleaned.turn, cleaned.skew, cleaned.width, cleaned.height) == (90, 1.0, 800, 1200)


def test_a_clean_page_is_left_as_it_is(pages: Pages) -> None:
    page = pages.truth(Case("bed", "eng", Spoiling())).image[:, :, 0]
    _, image, cleaned = clean_page(page, 300, Treatment(), as_is)
    assert np.array_equal(image, page)
    assert not cleaned.blank


def _file(picture: Pillow.Image, kind: str = "PNG", **more: object) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind, **more)
    return out.getvalue()


ODD = {
    "one pixel": _file(Pillow.new("L", (1, 1), 0)),
    "all black": _file(Pillow.new("L", (600, 800), 0)),
    "all white": _file(Pillow.new("RGB", (600, 800), "white")),
    "one bit": _file(Pillow.new("1", (640, 480), 1)),
    "sixteen bit": _file(Pillow.fromarray(np.full((300, 200), 40_000, np.uint16))),
    "cmyk": _file(Pillow.new("CMYK", (300, 400), (0, 0, 0, 0)), "JPEG"),
    "palette": _file(Pillow.new("P", (300, 400))),
    "alpha": _file(Pillow.new("RGBA", (300, 400), (0, 0, 0, 0))),
    "long and thin": _file(Pillow.new("L", (9000, 12), 255)),
}


@pytest.mark.parametrize("name", ODD)
def test_odd_images_give_a_sensible_page(name: str) -> None:
    _, image, cleaned = clean_page(decode(ODD[name]), 300, Treatment(), find_turn)
    assert image.shape[:2] == (cleaned.height, cleaned.width)
    assert cleaned.skew == 0.0
    if name in ("all white", "one bit", "alpha"):
        assert cleaned.blank


def test_pixels_are_decoded_by_meaning() -> None:
    assert to_array(Pillow.new("RGBA", (2, 2), (0, 0, 0, 0))).min() == 255  # transparent is paper
    assert to_array(Pillow.fromarray(np.full((2, 2), 65535, np.uint16))).min() == 255
    turned = Pillow.new("L", (4, 2), 255)
    exif = turned.getexif()
    exif[0x0112] = 6  # Exif 2.32: the top of the scene is at the right
    assert decode(_file(turned, "JPEG", exif=exif.tobytes())).shape == (4, 2)


def test_an_empty_mask_has_no_pieces() -> None:
    assert len(pieces(np.zeros((0, 40), np.uint8)).stats) == 1  # only what is outside


@pytest.mark.parametrize("side,apart", [(100, 2), (900, 6), (600, 2)])  # few, many, more than a short number counts
def test_dots_are_counted_however_many_and_told_apart(side: int, apart: int) -> None:
    mask = np.zeros((side, side), np.uint8)
    mask[::apart, ::apart] = 1
    found = pieces(mask)
    count = (side // apart) ** 2
    assert len(found.stats) == count + 1 and found.stats[1:, 4].tolist() == [1] * count
    assert found.labels.dtype == (np.uint16 if count < 1 << 16 else np.int32)
    left = found.stats[:, 0] < side // 2
    left[0] = False
    assert np.array_equal(found.of(left), mask * (np.arange(side) < side // 2))


def test_a_mask_without_ink_is_all_outside() -> None:
    found, known = pieces(np.zeros((30, 40), np.uint8)), cv2.connectedComponentsWithStats(np.zeros((30, 40), np.uint8))
    assert found.stats.tolist() == known[2].tolist() and found.centres.tolist() == known[3].tolist()
    assert not found.labels.any()
