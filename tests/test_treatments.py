"""Any treatment on any image gives a page that keeps its word: invariants over seeded random settings."""

from __future__ import annotations

import itertools

import cv2
import numpy as np
import pytest
from skimage.transform import ProjectiveTransform, warp

from bench.material import Case
from hyalen.core.imaging.clean import CleanPage, clean_page
from hyalen.core.imaging.frame import Frame, render, squared, straighten_matrix, turn_matrix
from hyalen.core.imaging.margins import even_frame
from hyalen.core.imaging.orientation import FoundTurn
from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.model.treatment import (
    Bend,
    Cleaned,
    Colours,
    Descreen,
    Flatten,
    Ink,
    Lighten,
    Marks,
    Outline,
    Output,
    Patch,
    ShowThrough,
    Split,
    Straighten,
    Switch,
    Threshold,
    Treatment,
    Trim,
    Turn,
)
from hyalen.demo.spoil import AGED, Spoiling, spoil
from tests.conftest import Pages

DPI = 100.0
STEPS = (
    "turn", "split", "outline", "straighten", "flatten", "trim",
    "lighten", "descreen", "show_through", "marks", "ink", "output",
)  # fmt: skip


def as_is(image: Image, dpi: float) -> FoundTurn:
    return FoundTurn(0, 1.0)


def random_treatment(rng: np.random.Generator, width: float, height: float) -> Treatment:
    """Each step automatic, off or by hand with values of the page's own size, in inches."""

    def switch() -> Switch:
        return list(Switch)[int(rng.integers(3))]

    def near(x: float, y: float) -> tuple[float, float]:
        return x + float(rng.uniform(-0.4, 0.4)), y + float(rng.uniform(-0.4, 0.4))

    knots = tuple(tuple(float(v) for v in rng.uniform(-0.1, 0.1, 5)) for _ in range(3))
    left, top = rng.uniform(0, width / 3), rng.uniform(0, height / 3)
    spot = [float(v) for v in rng.uniform(0.2, 0.6, 2)]
    return Treatment(
        turn=Turn(switch=switch(), degrees=(0, 90, 180, 270)[int(rng.integers(4))]),  # type: ignore[arg-type]
        split=Split(switch=Switch.OFF),
        outline=Outline(switch=switch(), corners=(near(0, 0), near(width, 0), near(width, height), near(0, height))),
        straighten=Straighten(switch=switch(), degrees=float(rng.uniform(-20, 20))),
        flatten=Flatten(switch=switch(), bend=Bend(size=(width, height), down=knots, along=(0.0,) * 5)),
        trim=Trim(switch=switch(), box=(float(left), float(top), float(left + width / 2), float(top + height / 2))),
        lighten=Lighten(switch=switch(), strength=float(rng.uniform())),
        descreen=Descreen(switch=switch(), lines=float(rng.uniform(60, 200))),
        show_through=ShowThrough(switch=switch(), strength=float(rng.uniform())),
        marks=Marks(switch=switch(), holes=bool(rng.integers(2)), lines=bool(rng.integers(2))),
        patches=(Patch(outline=((spot[0], spot[1]), (spot[0] + 0.2, spot[1]), (spot[0], spot[1] + 0.2))),),
        ink=Ink(switch=switch(), darken=float(rng.uniform()), sharpen=float(rng.uniform())),
        output=Output(
            switch=switch(),
            colours=list(Colours)[int(rng.integers(3))],
            threshold=list(Threshold)[int(rng.integers(2))],
            bias=float(rng.uniform(-1, 1)),
        ),
    )


def check(page: CleanPage, scan: Image) -> None:
    cleaned = page.cleaned
    assert page.read.shape[:2] == page.shown.shape[:2] == (cleaned.height, cleaned.width)
    assert page.read.dtype == page.shown.dtype == np.uint8
    most = 3 * 4 * max(scan.shape[:2])  # small print is enlarged up to four times
    assert 8 <= cleaned.width <= most and 8 <= cleaned.height <= most
    if cleaned.colours is Colours.BLACK_AND_WHITE:
        assert set(np.unique(page.shown)) <= {0, 255}
    if cleaned.colours is Colours.COLOUR:
        assert page.shown.ndim == 3
    # One finding a step at least, in the order of the work; quality comes after.
    told = [f.step for f in cleaned.findings if f.step in STEPS]
    assert list(dict.fromkeys(told)) == list(STEPS)
    assert all(f.says and 0 <= f.confidence <= 1 for f in cleaned.findings)
    # Coordinates lead to the original and back, and what is kept of a page survives its storage.
    inner = np.array([(0.3, 0.3), (0.5, 0.5), (0.7, 0.4)]) * (cleaned.width, cleaned.height)
    assert np.abs(cleaned.cleaned_points(cleaned.original_points(inner)) - inner).max() < 0.5
    assert Cleaned.model_validate_json(cleaned.model_dump_json()) == cleaned


@pytest.mark.parametrize("seed", range(10))
def test_any_treatment_gives_a_page_that_can_be_made_again(pages: Pages, seed: int) -> None:
    rng = np.random.default_rng(seed)
    small, _ = reduced(pages.truth(Case("treatments", "eng", Spoiling())).image, 300, DPI)
    how = Spoiling(skew=float(rng.uniform(-3, 3)), bed=0.2 * (seed % 2), tint=AGED, shade=0.3, specks=40, noise=4)
    scan = spoil(small, DPI, how, seed)
    if seed % 3 == 0:
        scan = grey(scan)
    treatment = random_treatment(rng, scan.shape[1] / DPI, scan.shape[0] / DPI)
    page = clean_page(scan, DPI, treatment, as_is)
    check(page, scan)
    again = clean_page(scan, DPI, treatment, as_is, known=page.cleaned)
    assert np.array_equal(again.shown, page.shown) and again.cleaned.applied == page.cleaned.applied
    stored = Treatment.model_validate_json(treatment.model_dump_json())
    assert stored == treatment


@pytest.mark.parametrize(
    "scan",
    [
        np.zeros((1, 1), np.uint8),
        np.full((1, 400), 128, np.uint8),
        np.full((700, 2, 3), 200, np.uint8),
        np.zeros((300, 200, 3), np.uint8),
        np.full((300, 200), 255, np.uint8),
        np.tile(np.array([[0, 255], [255, 0]], np.uint8), (150, 120)),
        np.random.default_rng(0).integers(0, 256, (280, 210, 3), dtype=np.uint8),
    ],
    ids=["pixel", "row", "column", "black", "white", "checks", "noise"],
)  # fmt: skip
@pytest.mark.parametrize("by_hand", [False, True])
def test_odd_images_give_a_page(scan: Image, by_hand: bool) -> None:
    treatment = Treatment()
    if by_hand:
        treatment = random_treatment(np.random.default_rng(3), scan.shape[1] / DPI, scan.shape[0] / DPI)
    page = clean_page(scan, DPI, treatment, as_is)
    assert page.read.shape[:2] == page.shown.shape[:2] == (page.cleaned.height, page.cleaned.width)
    assert min(page.shown.shape[:2]) >= 1
    if not by_hand and scan.size and scan.max() == scan.min():
        assert page.cleaned.blank


def test_all_off_is_the_scan_itself(pages: Pages) -> None:
    small, _ = reduced(pages.truth(Case("treatments", "eng", Spoiling())).image, 300, DPI)
    scan = spoil(small, DPI, Spoiling(skew=2, bed=0.2, tint=AGED, shade=0.3, specks=40, noise=4), 1)
    off = {name: {"switch": "off"} for name in STEPS}
    page = clean_page(scan, DPI, Treatment.model_validate(off), as_is)
    assert np.array_equal(page.shown, scan)


def test_four_quarter_turns_are_none() -> None:
    scan = np.random.default_rng(0).integers(0, 256, (40, 60), dtype=np.uint8)
    turned = scan
    for _ in range(4):
        height, width = turned.shape
        turned = render(turned, Frame(turn_matrix(90, width, height), height, width))
    assert np.array_equal(turned, scan)
    once = render(scan, Frame(turn_matrix(90, 60, 40), 40, 60))
    assert np.array_equal(once, np.rot90(scan, -1))  # numpy turns counter-clockwise


@pytest.mark.parametrize("skew", [-7.3, 1.25])
def test_straightening_is_scikit_images_rotation(skew: float) -> None:
    # Both sample by splines; scikit-image maps output to input, as our frame's inverse does.
    field = cv2.GaussianBlur(np.random.default_rng(0).random((200, 260)).astype(np.float32), (0, 0), 4)
    scan = cv2.normalize(field, None, 20, 235, cv2.NORM_MINMAX).astype(np.uint8)
    matrix, size = straighten_matrix(skew, 260, 200)
    ours = render(scan, Frame(matrix, *size))
    theirs = warp(
        scan, ProjectiveTransform(matrix).inverse, output_shape=size[::-1], order=3, preserve_range=True, mode="edge"
    )
    inner = (slice(40, -40), slice(40, -40))
    assert np.abs(ours[inner].astype(float) - theirs[inner]).max() < 3


def test_squaring_sends_the_corners_where_scikit_image_sends_them() -> None:
    corners = np.array([(120.0, 90.0), (880.0, 140.0), (930.0, 1290.0), (60.0, 1250.0)])
    matrix, (width, height) = squared(corners, (1000, 1400))
    ends = np.array([(0, 0), (width, 0), (width, height), (0, height)], float)
    theirs = ProjectiveTransform.from_estimate(corners, ends)
    places = np.array([(300.0, 400.0), (700.0, 1000.0), (500.0, 650.0)])
    ours = np.c_[places, np.ones(3)] @ np.asarray(matrix).T
    assert np.allclose(ours[:, :2] / ours[:, 2:], theirs(places), atol=0.01)


def test_reducing_keeps_the_mean_and_tells_the_factor() -> None:
    scan = np.random.default_rng(0).integers(0, 256, (1203, 811), dtype=np.uint8)
    for dpi, target in ((300, 150), (300, 75), (400, 150), (150, 150), (200, 190)):
        small, factor = reduced(scan, dpi, target)
        assert factor >= 1 and small.shape[0] == pytest.approx(scan.shape[0] / factor, abs=1.5)
        assert small.mean() == pytest.approx(scan.mean(), abs=1)
        assert dpi / factor == pytest.approx(target, rel=0.3)


def test_an_even_frame_holds_every_pages_content(pages: Pages) -> None:
    small, _ = reduced(pages.truth(Case("treatments", "eng", Spoiling())).image, 300, DPI)
    scans = [small, small[30:], small[:, 25:], small[:-120, :-10]]
    found = [clean_page(s, DPI, Treatment(), as_is).cleaned for s in scans]
    frame = even_frame(found)
    assert frame is not None
    evened = [
        clean_page(s, DPI, Treatment(trim=Trim(frame=frame)), as_is, known=k).cleaned
        for s, k in zip(scans, found, strict=True)
    ]
    assert len({(p.width, p.height) for p in evened}) == 1
    for a, b in itertools.pairwise(evened):
        assert a.content is not None and b.content is not None
        assert abs(a.content.left - b.content.left) <= 3 and abs(a.content.top - b.content.top) <= 3
        assert a.content.right <= a.width and a.content.bottom <= a.height
