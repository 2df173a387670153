"""How likely it is that a word is wrong, told from the evidence by trees whose numbers were fitted to pages of known text."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from functools import cache
from importlib.resources import files
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.layout.bullets import BULLET
from hyalen.core.model.content import PageContent
from hyalen.core.proofing.evidence import FEATURES, IN_DOCUMENT, MOST_COUNTED, Known, evidence
from hyalen.core.proofing.placed import Placed, core_of, main_language, proofed_words
from hyalen.core.proofing.totals import cells_that_add_up

DECIMALS = 5  # of a chance
NUMBERS = "chances.json"  # made by tools/fit_chances.py
SETTLED = 0.002  # chance that a word is wrong that a person has looked at, or that a bullet is, which its shape tells
ADDS_UP = 0.05  # of its chance is left to a figure of a column whose total is right
LISTED = 0.1  # of its chance is left to a word that the clerk's lists have
TREES_AT_ONCE = 100
WORTH_ASKING = 0.02  # chance from which on it is asked how often the document says the word


class Model(NamedTuple):
    """Trees of decisions whose leaves add up to the logarithm of the odds (Friedman, "Greedy function approximation:
    a gradient boosting machine", Annals of Statistics 29(5), 2001).

    Attributes
    ----------
    base : float
        The odds before any evidence.
    size : int
        Nodes of a tree; those of a tree follow those of the tree before, its root first.
    feature, left, right : (trees * size) int
        What a node asks about and where it leads; a leaf leads to itself.
    threshold, value : (trees * size) float
        Up to which it leads to the left; what a leaf adds.
    """

    base: float
    size: int
    feature: NDArray[np.int32]
    threshold: NDArray[np.float64]
    left: NDArray[np.int32]
    right: NDArray[np.int32]
    value: NDArray[np.float64]

    def chances(self, rows: NDArray[np.float32]) -> NDArray[np.float64]:
        """The probability for each row of evidence."""
        odds = np.full(len(rows), self.base)
        # A few trees at a time, so that what is looked up stays near the processor.
        for at in range(0, len(self.feature), TREES_AT_ONCE * self.size):
            roots = np.arange(at, min(at + TREES_AT_ONCE * self.size, len(self.feature)), self.size, dtype=np.int32)
            odds += self.value.take(self._leaves(roots, rows)).sum(axis=0)
        return np.asarray(1.0 / (1.0 + np.exp(-odds)), dtype=np.float64)

    def _leaves(self, roots: NDArray[np.int32], rows: NDArray[np.float32]) -> NDArray[np.int32]:
        """The leaf of each of some trees that each row comes to; (roots, rows)."""
        values = rows.ravel()
        node = np.repeat(roots, len(rows))
        row = np.tile(np.arange(len(rows), dtype=np.int32) * rows.shape[1], len(roots))
        under_way, here = np.arange(len(node)), node
        while len(here):
            goes_left = values.take(row + self.feature.take(here)) <= self.threshold.take(here)
            here = np.where(goes_left, self.left.take(here), self.right.take(here))
            node[under_way] = here
            on = np.flatnonzero(self.left.take(here) != self.right.take(here))  # most leaves are soon come to
            under_way, row, here = under_way[on], row[on], here[on]
        return node.reshape(len(roots), len(rows))


def model_of(told: dict[str, Any]) -> Model:
    """The model from its numbers.

    Raises
    ------
    ValueError
        If they were fitted to other evidence than there is.
    """
    if tuple(told["features"]) != FEATURES:
        raise ValueError("the numbers of the model belong to other evidence; run tools/fit_chances.py")
    trees = told["trees"]
    size = max(len(tree["feature"]) for tree in trees)

    def column(name: str, kind: type[np.generic]) -> NDArray[Any]:
        return np.array([tree[name] + [0] * (size - len(tree[name])) for tree in trees], dtype=kind)

    first = np.arange(len(trees), dtype=np.int32)[:, None] * size
    left, right = ((column(name, np.int32) + first).ravel() for name in ("left", "right"))
    feature, threshold = column("feature", np.int32).ravel(), column("threshold", np.float64).ravel()
    return Model(float(told["base"]), size, feature, threshold, left, right, column("value", np.float64).ravel())


@cache
def fitted() -> Model:
    """The model that ships with the program."""
    return model_of(json.loads(files("hyalen.core.proofing").joinpath(NUMBERS).read_text("utf8")))


class Judged(NamedTuple):
    """A word and the chance that it is wrong.

    Attributes
    ----------
    alone : float
        The chance before lists, totals and settling count.
    evidence : (len(FEATURES),) float32 or None
        None where the chance was known, or is next to nothing.
    """

    placed: Placed
    chance: float
    alone: float
    evidence: NDArray[np.float32] | None


Chances = Mapping[
    str, tuple[str, float]
]  # by word id, what the chance was told from (see `basis`) and the chance alone


def basis(placed: Placed, fallback: str) -> str:
    """What a word's chance hangs on beside its page: another reading or language makes it another's."""
    word = placed.word
    told = [word.text, placed.region.language or fallback, f"{word.confidence:.3f} {word.letters}", word.second or ""]
    return "\n".join(told if word.recognised is None else [*told, word.recognised])


class Weighed(NamedTuple):
    """How likely the words of a page are wrong by the page alone, in their order.

    Attributes
    ----------
    chances : (n,) float64
    evidence : dict of int to (len(FEATURES),) float32
        By their place, of the words of which the document is asked.
    """

    chances: NDArray[np.float64]
    evidence: dict[int, NDArray[np.float32]]


def weigh(content: PageContent) -> Weighed:
    """What takes time about judging a page, and needs nothing but the page."""
    words = proofed_words(content)
    if not words:
        return Weighed(np.zeros(0), {})
    rows = evidence(content, words)
    chances = fitted().chances(rows)
    return Weighed(chances, {int(i): rows[i] for i in np.flatnonzero(chances >= WORTH_ASKING)})


def judge(content: PageContent, known: Known | None = None, weighed: Weighed | None = None) -> list[Judged]:
    """The words of a page that are proofed, settled ones too; `weighed` is what `weigh` says of this content."""
    words = proofed_words(content)
    known = known or Known()
    chances, rows = weighed or weigh(content)
    chances = chances.copy()
    if rows:
        asked = [_asked(row, words[i], known) for i, row in rows.items()]
        chances[list(rows)] = fitted().chances(np.stack(asked))
        rows = dict(zip(rows, asked, strict=True))
    told = [rows.get(i) for i in range(len(words))]
    return _judged(content, words, [round(float(c), DECIMALS) for c in chances], told, known)


def recalled(content: PageContent, known: Known, before: Chances) -> list[Judged] | None:
    """The same from chances that are known, without evidence; None where a word is new or was read otherwise.

    What a person settles changes nothing about the other words, so that a doubt stays what it was.
    """
    words = proofed_words(content)
    fallback = main_language(content)
    alone = []
    for each in words:
        told, chance = before.get(each.word.id, ("", 0.0))
        if not each.word.settled and told != basis(each, fallback):
            return None
        alone.append(chance)
    return _judged(content, words, alone, [None] * len(words), known)


def with_evidence(
    content: PageContent, judged: Sequence[Judged], known: Known, wanted: Collection[str]
) -> list[Judged]:
    """The same with the evidence of some words, by their ids."""
    rows = evidence(content, [each.placed for each in judged])
    told = []
    for each, row in zip(judged, rows, strict=True):
        if each.placed.word.id in wanted:
            each = each._replace(evidence=_asked(row, each.placed, known))
        told.append(each)
    return told


def _asked(row: NDArray[np.float32], placed: Placed, known: Known) -> NDArray[np.float32]:
    """A word's evidence with how often its document says it."""
    row = row.copy()
    row[IN_DOCUMENT] = min(known.count(core_of(placed.word.text).casefold()), MOST_COUNTED)
    return row


def _judged(
    content: PageContent,
    words: Sequence[Placed],
    chances: Sequence[float],
    rows: Sequence[NDArray[np.float32] | None],
    known: Known,
) -> list[Judged]:
    tables = (region.table for region in content.everything if region.table is not None)
    sums = {w.id for table in tables for cell in cells_that_add_up(table) for line in cell.lines for w in line.words}
    return [Judged(p, _chance(p, c, known, sums), c, row) for p, c, row in zip(words, chances, rows, strict=True)]


def _chance(placed: Placed, chance: float, known: Known, sums: Collection[str]) -> float:
    if placed.word.settled or placed.word.text == BULLET:
        return SETTLED
    if placed.word.id in sums:
        chance *= ADDS_UP
    listed = known.listed and core_of(placed.word.text).casefold() in known.listed
    return chance * LISTED if listed else chance
