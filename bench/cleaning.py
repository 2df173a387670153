"""Geometry and ink: skew, turn, edges, curvature and threshold on pages whose truth is known.

Skew is scored as in the ICDAR 2013 document image skew estimation contest (Papandreou et al.,
ICDAR 2013): mean error deviation and the share within 0.1 degree. The threshold is scored by the
F-measure of the DIBCO contests (Gatos, Ntirogiannis and Pratikakis, ICDAR 2009).
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from itertools import product

import cv2
import numpy as np
import tesserocr
from numpy.typing import NDArray
from PIL import Image as Pillow
from skimage.filters import threshold_sauvola

from bench import bare, pipeline
from bench.material import CURLS, SEVEN, SPINES, Case, page_html
from bench.text import error_rate
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.imaging.background import estimate_paper, whiten
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.imaging.skew import estimate_skew
from hyalen.core.imaging.threshold import ink_threshold
from hyalen.core.model.treatment import (
    Cleaned,
    Colours,
    Flatten,
    Ink,
    Lighten,
    Output,
    Straighten,
    Switch,
    Treatment,
    Trim,
    Turn,
)
from hyalen.core.reading.engine import debian_directory
from hyalen.core.reading.upright import find_turn
from hyalen.core.structure.flow import flow
from hyalen.demo.spoil import AGED, GREENISH, Curl, Spoiling, spoil, to_scan
from hyalen.demo.typeset import SetPage, Typesetter, typesetter
from hyalen.work.preview import PREVIEW_DPI

Row = tuple[str, str, str, str]
DPI = 300.0


def skew_pages(setter: Typesetter) -> Iterator[SetPage]:
    """Columns, a ruled form, a page with pictures, three scripts."""
    for language, columns in (("eng", 1), ("rus", 2), ("ara", 1), ("ell", 2)):
        yield Case("skew", language, Spoiling(), columns=columns, size_pt=10).set(setter)
    rows = "".join(f"<tr><td>{i}</td><td>Oil</td><td>{i * 37 % 91}</td><td></td></tr>" for i in range(1, 24))
    ruled = f"<table style='border-collapse:collapse;width:100%' border=1>{rows}</table>"
    yield setter.set(f"<body style='margin:25mm;font:11pt Liberation Sans'><h2>Return of stores</h2>{ruled}")
    picture = "<svg width=460 height=330><rect width=460 height=330 fill='#777'/><circle cx=150 cy=160 r=110 fill='#333'/><path d='M20 300 L440 40' stroke='#eee' stroke-width=22 /></svg>"
    yield setter.set(page_html("deu", 2, characters=900).replace("<main>", f"<main>{picture}"))


def skew_errors(page: Image, seed: int) -> list[tuple[float, float]]:
    """(ours, bare) absolute errors over turns within 15 degrees; every second scan tinted, bordered and specked."""
    rng = np.random.default_rng(seed)
    found = []
    for i, angle in enumerate(rng.uniform(-15, 15, 10)):
        dirty = Spoiling(bed=0.35, tint=(AGED, GREENISH)[i % 4 // 2], shade=0.3, specks=300, noise=5, jpeg=75)
        how = (dirty if i % 2 else Spoiling()).with_skew(float(angle))
        scan = spoil(page, DPI, how, seed + i)
        found.append((abs(estimate_skew(scan, DPI).degrees - angle), abs(_bare_skew(scan) - angle)))
    return found


def _bare_skew(scan: Image) -> float:
    """The engine's own deskew angle, from its layout analysis."""
    with tesserocr.PyTessBaseAPI(path=str(debian_directory()), lang="eng", psm=tesserocr.PSM.AUTO) as api:
        api.SetImage(Pillow.fromarray(scan))
        layout = api.AnalyseLayout()
        return 0.0 if layout is None else float(np.rad2deg(layout.Orientation()[3]))


def turns(page: Image, language: str, seed: int) -> list[tuple[bool, bool]]:
    """(ours, the engine's script detector) for the four turns."""
    found = []
    for turn in (0, 90, 180, 270):
        scan = spoil(page, DPI, Spoiling(skew=1.2, tint=AGED, noise=4, turn=turn, bed=0.2), seed)
        ours = find_turn(scan, DPI, (language,)).degrees == (360 - turn) % 360
        with tesserocr.PyTessBaseAPI(path=str(debian_directory()), lang="osd", psm=tesserocr.PSM.OSD_ONLY) as api:
            api.SetImage(Pillow.fromarray(scan))
            told = api.DetectOrientationScript()
        found.append((ours, told is not None and int(told["orient_deg"]) == (360 - turn) % 360))
    return found


def edges(truth: SetPage, how: Spoiling, seed: int) -> tuple[float, float]:
    """Shares of the words kept whole and of the bed's area cut off."""
    scan = spoil(truth.image, DPI, how, seed)
    cleaned = clean_page(scan, DPI, Treatment(), partial(find_turn, languages=("eng",))).cleaned
    boxes = np.array([w.box.polygon() for b in truth.blocks for w in b.words], dtype=np.float64)
    places = to_scan(boxes.reshape(-1, 2), truth.image.shape, DPI, how, scan.shape)
    corners = cleaned.cleaned_points(places).reshape(-1, 4, 2)
    inside = (corners > -1).all(axis=(1, 2)) & (corners < (cleaned.width + 1, cleaned.height + 1)).all(axis=(1, 2))
    x, y = np.meshgrid(np.linspace(2, cleaned.width - 3, 400), np.linspace(2, cleaned.height - 3, 560))
    kept = cleaned.original_points(np.c_[x.ravel(), y.ravel()])
    height, width = truth.image.shape[:2]
    rim = to_scan(
        np.array([(0, 0), (width, 0), (width, height), (0, height)], float), truth.image.shape, DPI, how, scan.shape
    )
    on_bed = np.array(
        [cv2.pointPolygonTest(rim.astype(np.float32), (float(a), float(b)), False) < 0 for a, b in kept[::7]]
    )
    scale = cleaned.width * cleaned.height / len(on_bed) * _area_factor(cleaned)
    bed = scan.shape[0] * scan.shape[1] - cv2.contourArea(rim.astype(np.float32))
    return float(inside.mean()), 1 - float(on_bed.sum()) * scale / bed


def _area_factor(cleaned: Cleaned) -> float:
    """Original pixels to a cleaned one."""
    square = np.array([(0.0, 0.0), (cleaned.width, 0.0), (cleaned.width, cleaned.height), (0.0, cleaned.height)])
    seen = cleaned.original_points(square).astype(np.float32)
    return cv2.contourArea(seen) / (cleaned.width * cleaned.height)


def baseline_deviations(
    truth: SetPage, to_page: Callable[[NDArray[np.float64]], NDArray[np.float64]]
) -> NDArray[np.float64]:
    """Distances of words' feet from their line's straight baseline, in pixels.

    Feet are the lower corners of words' boxes, which browsers put at one height a line.
    """
    found: list[float] = []
    for block in truth.blocks:
        lines: dict[int, list[tuple[float, float]]] = {}
        for word in block.words:
            lines.setdefault(word.box.bottom, []).append(((word.box.left + word.box.right) / 2, word.box.bottom))
        for feet in lines.values():
            if len(feet) < 4:
                continue
            seen = to_page(np.array(feet))
            slope, start = np.polyfit(seen[:, 0], seen[:, 1], 1)
            found += np.abs(seen[:, 1] - slope * seen[:, 0] - start).tolist()
    return np.array(found)


def curved(
    truth: SetPage, curl: Curl, language: str, seed: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], float, float, float]:
    """Deviations after and before, and character errors: flattened, flat page, bare engine on the scan."""
    how = Spoiling(curl=curl, tint=AGED, noise=4, jpeg=85)
    scan = spoil(truth.image, DPI, how, seed)

    def read(image: Image) -> tuple[str, Cleaned]:
        page = pipeline.clean(pipeline.scanned(image, DPI), language)
        content = pipeline.read(page, language)
        return "\n\n".join(b.text for b in flow([content], language)), page.cleaned

    text, cleaned = read(scan)
    flat, _ = read(spoil(truth.image, DPI, Spoiling(tint=AGED, noise=4, jpeg=85), seed))
    place = partial(to_scan, shape=truth.image.shape, dpi=DPI, how=how, frame=scan.shape)
    after = baseline_deviations(truth, lambda points: cleaned.cleaned_points(place(points)))
    before = baseline_deviations(truth, place)
    errors = [error_rate(t, truth.text) for t in (text, flat, bare.read(scan, DPI, language))]
    return after, before, errors[0], errors[1], errors[2]


def thresholds(truth: SetPage, how: Spoiling, seed: int) -> dict[str, float]:
    """F-measures against the ink as it was set, of ours, two libraries and the engine's own."""
    scan = grey(spoil(truth.image, DPI, how, seed))
    true = grey(truth.image) < 128
    small, factor = reduced(scan, DPI, 75)
    white = whiten(scan, estimate_paper(small, DPI / factor))
    with tesserocr.PyTessBaseAPI(path=str(debian_directory()), lang="eng") as api:
        api.SetImage(Pillow.fromarray(scan))
        theirs = np.asarray(api.GetThresholdedImage().convert("L")) < 128
    adaptive = cv2.adaptiveThreshold(scan, 255, cv2.ADAPTIVE_THRESH_GAUSSIAN_C, cv2.THRESH_BINARY_INV, 51, 15) > 0
    return {
        "ours": f_measure(ink_threshold(white, DPI), true),
        "engine": f_measure(theirs, true),
        "scikit-image, Sauvola": f_measure(scan <= threshold_sauvola(scan, 61, k=0.2), true),  # type: ignore[no-untyped-call]
        "OpenCV, adaptive": f_measure(adaptive, true),
    }


def f_measure(found: NDArray[np.bool_], true: NDArray[np.bool_]) -> float:
    """Harmonic mean of precision and recall over ink pixels, in per cent."""
    hit = float((found & true).sum())
    precision, recall = hit / max(1, found.sum()), hit / max(1, true.sum())
    return float(200 * precision * recall / max(1e-9, precision + recall))


SPOILT_INK = (
    Spoiling(),
    Spoiling(tint=AGED, shade=0.35, noise=6, jpeg=70),
    Spoiling(tint=GREENISH, shade=0.3, noise=5, blur=0.0022),
    Spoiling(tint=AGED, shade=0.4, noise=6, fade=0.45),
)
BEDS = (
    *(
        Spoiling(skew=skew, bed=0.4, bed_level=level, tint=AGED, shade=0.2, noise=4)
        for skew, level in ((0.0, 30), (3.1, 20), (-2.4, 70), (6.0, 40))
    ),
    Spoiling(skew=4.0, bed=0.4, bed_level=205, noise=3),
    Spoiling(skew=-3.0, bed=0.4, bed_level=250, tint=AGED, noise=3),
    Spoiling(corners=((0.10, 0.07), (0.93, 0.11), (0.89, 0.95), (0.05, 0.92)), noise=4),
    Spoiling(corners=((0.12, 0.05), (0.97, 0.12), (0.89, 0.97), (0.03, 0.88)), bed_light=True, noise=4),
)


def run(workers: int) -> list[Row]:
    """Rows of (measure, ours, bare engine, reach)."""
    with typesetter() as setter:
        slanted = list(skew_pages(setter))
        by_language = {
            code: Case("x", code, Spoiling(), columns=1 + i % 2, start=i).set(setter) for i, code in enumerate(SEVEN)
        }
        narrow = [Case("x", code, Spoiling(), start=2, margin_mm=11).set(setter) for code in ("eng", "rus")]
    with ProcessPoolExecutor(workers) as pool:
        skews = [pool.submit(skew_errors, page.image, 10 * i) for i, page in enumerate(slanted)]
        upright = [pool.submit(turns, page.image, code, 3) for code, page in by_language.items()]
        cut = [pool.submit(edges, by_language["eng"], how, 5) for how in BEDS]
        # A bent page's edge is no quadrilateral: of these only the words are counted.
        bound = [
            pool.submit(edges, page, Spoiling(curl=curl, bed=0.3, tint=AGED, noise=4), 5)
            for page, curl in product(narrow, SPINES)
        ]
        bent = [
            pool.submit(curved, by_language[code], curl, code, 4)
            for code, curl in product(("eng", "rus", "ara"), CURLS)
        ]
        inked = [
            pool.submit(thresholds, by_language[code], how, 6)
            for code, how in product(("eng", "ell", "ara"), SPOILT_INK)
        ]
        rows = _skew_rows([e for job in skews for e in job.result()])
        found = [t for job in upright for t in job.result()]
        rows.append(
            ("turn found", f"{np.mean([o for o, _ in found]):.1%}", f"{np.mean([b for _, b in found]):.1%}", "99%")
        )
        kept = [job.result() for job in cut]
        whole = [k for k, _ in kept] + [job.result()[0] for job in bound]
        rows.append(("words kept whole", f"{min(whole):.2%} at worst", "", "100%"))
        rows.append(("scanner bed cut off", f"{np.mean([b for _, b in kept]):.1%}", "", "98%"))
        flat = [job.result() for job in bent]
        after, before = (np.concatenate([f[i] for f in flat]) for i in (0, 1))
        rows.append(("baselines' deviation, px, median", f"{np.median(after):.2f}", f"{np.median(before):.2f}", "1.5"))
        rows.append(
            (
                "baselines' deviation, px, 95 %",
                f"{np.quantile(after, 0.95):.2f}",
                f"{np.quantile(before, 0.95):.2f}",
                "",
            )
        )
        ours, level, theirs = (np.mean([f[i] for f in flat]) for i in (2, 3, 4))
        rows.append(("characters wrong on curved pages", f"{ours:.4f}", f"{theirs:.4f}", f"flat {level:.4f} + 0.005"))
        measured = [job.result() for job in inked]
        seconds = pool.submit(preview_times, by_language["eng"]).result()
        rows.append(("a setting's effect on screen, s, p95", f"{np.quantile(seconds, 0.95):.2f}", "", "0.5"))
        means = {name: float(np.mean([m[name] for m in measured])) for name in measured[0]}
        rows.append(("threshold, F-measure", f"{means['ours']:.1f}", f"{means['engine']:.1f}", "95"))
        rows += [(f"    {name}", f"{means[name]:.1f}", "", "") for name in list(means)[2:]]
    return rows


def preview_times(truth: SetPage) -> list[float]:
    """Seconds from a changed setting to the page at screen resolution."""
    how = Spoiling(skew=1.3, bed=0.3, tint=AGED, shade=0.3, specks=300, fibres=60, noise=5, jpeg=75)
    scan = spoil(truth.image, DPI, how, 9)
    turn = partial(find_turn, languages=("eng",))
    known = clean_page(scan, DPI, Treatment(), turn).cleaned
    factor = DPI / PREVIEW_DPI
    size = (round(scan.shape[1] / factor), round(scan.shape[0] / factor))
    small = np.asarray(cv2.resize(scan, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    hand = Switch.BY_HAND
    changes = [
        Treatment(lighten=Lighten(switch=hand, strength=0.5)),
        Treatment(straighten=Straighten(switch=hand, degrees=1.0)),
        Treatment(turn=Turn(switch=hand, degrees=90)),
        Treatment(flatten=Flatten(switch=Switch.OFF)),
        Treatment(trim=Trim(switch=hand, box=(1, 1, 6, 8))),
        Treatment(ink=Ink(switch=hand)),
        Treatment(output=Output(switch=hand, colours=Colours.BLACK_AND_WHITE)),
    ]
    found = []
    for change in changes * 3:
        start = time.perf_counter()
        page = clean_page(small, PREVIEW_DPI, change, turn, known=known, told_dpi=DPI)
        encode_jpeg(page.shown, 82)
        found.append(time.perf_counter() - start)
    return found


def _skew_rows(errors: list[tuple[float, float]]) -> list[Row]:
    ours, theirs = (np.array([e[i] for e in errors]) for i in (0, 1))
    return [
        ("skew, mean error in degrees", f"{ours.mean():.4f}", f"{theirs.mean():.3f}", "0.03"),
        ("skew, within 0.1 degree", f"{(ours <= 0.1).mean():.1%}", f"{(theirs <= 0.1).mean():.1%}", "96%"),
    ]
