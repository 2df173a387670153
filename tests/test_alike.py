"""Figures judged by their like: misread ones mended, right ones left, and the discriminant held against scikit-learn's."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from sklearn.discriminant_analysis import LinearDiscriminantAnalysis

from hyalen.core.model.content import Cell, Line, PageContent, Region, RegionKind, Role, Table, Word
from hyalen.core.model.geometry import Box, Point
from hyalen.core.reading.alike import SHRINK, discriminate, with_alike

WIDE, HIGH = 130, 60  # pixels of a cell
ROWS, COLUMNS = 24, 6


HABITS = {"3": "5", "9": "8"}


def sheet(
    seed: int, habit: float, slip: float = 0.0, advance: int = 27, summed: range = range(0)
) -> tuple[np.ndarray, PageContent, dict[str, str]]:
    """A worn page of figures, as they were read, and as they are by word; rows that are `summed` are underlined closely.

    Each 3 is read as a 5, each 9 as an 8 by the chance `habit`; any figure as any other by the chance `slip`.
    """
    rng = np.random.default_rng(seed)
    page = np.full((ROWS * HIGH + 40, COLUMNS * WIDE + 40), 255, np.uint8)
    cells, true = [], {}
    for row in range(ROWS):
        for column in range(COLUMNS):
            figures = "".join(map(str, rng.integers(0, 10, 3)))
            left, top = 20 + column * WIDE, 20 + row * HIGH
            for at, figure in enumerate(figures):
                cv2.putText(page, figure, (left + 20 + advance * at, top + 45), cv2.FONT_HERSHEY_DUPLEX, 1.1, 0, 2)
            if row in summed:
                cv2.line(page, (left + 8, top + 49), (left + 30 + 3 * advance, top + 49), 0, 4)
            read = "".join(HABITS[c] if c in HABITS and rng.random() < habit else c for c in figures)
            read = "".join(str(rng.integers(0, 10)) if rng.random() < slip else c for c in read)
            box = Box(left, top, left + WIDE, top + HIGH)
            word = Word(id=f"w{row}.{column}", text=read, box=box.grown(-15, box), confidence=0.9)
            line = Line(
                words=(word,), box=box, baseline=(Point(left, top + 45), Point(left + WIDE, top + 45)), height=30
            )
            cells.append(Cell(row=row, column=column, box=box, lines=(line,)))
            true[word.id] = figures
    noise = cv2.GaussianBlur(rng.normal(0, 75, page.shape), (0, 0), 1.2)
    worn = np.where(cv2.GaussianBlur(page, (0, 0), 1.5) + noise < 150, 0, 255).astype(np.uint8)
    whole = Box(20, 20, 20 + COLUMNS * WIDE, 20 + ROWS * HIGH)
    table = Table(rows=ROWS, columns=COLUMNS, cells=tuple(cells))
    region = Region(id="t", kind=RegionKind.TABLE, role=Role.TABLE, outline=whole.polygon(), confidence=1, table=table)
    height, width = worn.shape
    return worn, PageContent(width=width, height=height, dpi=200, regions=(region,), languages=("eng",)), true


@pytest.mark.parametrize("seed", [1, 2])
def test_what_a_reader_takes_for_another_by_habit_is_mended_and_next_to_nothing_is_made_wrong(seed: int) -> None:
    page, content, true = sheet(seed, 0.35, 0.01)
    words = list(with_alike(page, content).words)
    before = {w.id: w.text for w in content.words}
    wrong = {w for w in before if before[w] != true[w]}
    told = {w.id for w in words if w.id in wrong and true[w.id] in (w.text, w.second)}
    mended = {w.id for w in words if w.id in wrong and w.text == true[w.id]}
    assert len(wrong) > 20 and len(mended) > 0.7 * len(wrong) and len(told) > 0.85 * len(wrong)
    assert sum(w.id not in wrong and w.text != true[w.id] for w in words) <= 1
    assert all(before[w.id] in w.others for w in words if w.text != before[w.id])
    assert sum(w.second == w.text for w in words) > 0.5 * len(words)


def test_a_lone_slip_is_no_habit_and_becomes_another_reading() -> None:
    page, content, true = sheet(6, 0.0, 0.04)
    words = list(with_alike(page, content).words)
    before = {w.id: w.text for w in content.words}
    wrong = [w for w in words if before[w.id] != true[w.id]]
    assert len(wrong) > 8 and sum(true[w.id] in (w.text, w.second) for w in wrong) > 0.8 * len(wrong)
    assert sum(before[w.id] == true[w.id] != w.text for w in words) <= 1


def test_shapes_that_a_machine_drew_all_alike_are_told_apart_too() -> None:
    centres = np.eye(4, 6)
    labels = np.repeat(np.arange(4), 30)
    assert discriminate(centres[labels], labels, centres, range(4)).argmax(axis=1).tolist() == [0, 1, 2, 3]


def test_a_figure_that_was_passed_over_is_read_by_its_like() -> None:
    page, content, true = sheet(3, 0.0)

    def shortened(line: Line) -> Line:
        words = (w.model_copy(update={"text": w.text[1:]}) if w.id.startswith("w7.") else w for w in line.words)
        return line.model_copy(update={"words": tuple(words)})

    words = list(with_alike(page, content.with_lines(shortened)).words)
    assert sum(w.text == true[w.id] for w in words if w.id.startswith("w7.")) >= 4
    assert all(w.text == true[w.id] for w in words if not w.id.startswith("w7."))


def test_figures_that_touch_each_other_and_a_line_beneath_are_told() -> None:
    page, content, true = sheet(3, 0.35, advance=20, summed=range(10, 14))
    before = {w.id: w.text for w in content.words}
    words = list(with_alike(page, content).words)
    wrong = {w for w in before if before[w] != true[w]}
    assert len(wrong) > 20 and sum(w.text == true[w.id] for w in words if w.id in wrong) > 0.7 * len(wrong)
    assert sum(w.id not in wrong and w.text != true[w.id] for w in words) <= 2
    assert sum(w.text == true[w.id] for w in words if int(w.id[1:].split(".")[0]) in range(10, 14)) >= 22


def test_a_cell_in_which_nothing_was_read_is_read_by_its_like_at_its_place() -> None:
    page, content, true = sheet(3, 0.0)
    (region,) = content.regions
    assert region.table is not None
    unread = [c.model_copy(update={"lines": ()}) if c.row == 7 else c for c in region.table.cells]
    table = region.table.model_copy(update={"cells": tuple(unread)})
    gone = content.model_copy(update={"regions": (region.model_copy(update={"table": table}),)})
    (found,) = with_alike(page, gone).regions
    assert found.table is not None
    mine = [c for c in found.table.cells if c.row == 7]
    assert sum(c.text == true[f"w7.{c.column}"] for c in mine) >= 4
    assert all(c.box.intersection(w.box) == w.box for c in mine for line in c.lines for w in line.words)


def test_a_page_with_few_figures_stays_as_it_is() -> None:
    page, content, _ = sheet(4, 0.1)
    (region,) = content.regions
    assert region.table is not None
    table = region.table.model_copy(update={"cells": region.table.cells[:30]})
    few = content.model_copy(update={"regions": (region.model_copy(update={"table": table}),)})
    assert with_alike(page, few) == few


def test_the_discriminant_is_fishers() -> None:
    """scikit-learn's, with as many shapes of each kind: it weighs the kinds' covariances alike, we weigh the shapes."""
    rng = np.random.default_rng(5)
    centres = rng.normal(0, 1.5, (4, 6))
    known = np.concatenate([c + rng.normal(0, 1, (30, 6)) @ np.diag([1, 2, 1, 0.5, 1, 1]) for c in centres])
    labels = np.repeat(np.arange(4), 30)
    asked = rng.normal(0, 2, (50, 6))
    theirs = LinearDiscriminantAnalysis(solver="lsqr", shrinkage=SHRINK, priors=np.full(4, 0.25)).fit(known, labels)
    assert discriminate(known, labels, asked, range(4)) == pytest.approx(theirs.predict_proba(asked), abs=1e-6)
