"""Lines into columns of running text, from their places alone."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.sizes import type_size, vagueness
from hyalen.core.model.found import FoundLine
from hyalen.core.model.geometry import Box

FARTHEST = 2.3  # line heights between baselines: double-spaced typing
EVEN_FARTHEST = 3.6  # the same where lines keep one distance
EVEN, LEAST_EVEN = 0.08, 6  # of that distance, by which lines keep it; lines that do
LEAST_STEP = 0.4  # line heights from one line down to the next
SIZE_RATIO = 1.35  # times that type may differ within a column
CLOSE = 1.35  # line heights: lines that near belong together even where the first ends early
FLUSH_RATIO = 1.9  # of lines that start and end alike: worn type, whose height the reader misjudges
MOST_UNLIKE = 0.5  # of a rival's misfit, for a link to be clear
SCRAP = 0.2  # of a line's width: what is shorter is no rival


def columns(lines: Sequence[FoundLine], rules: Sequence[Box] = ()) -> list[list[FoundLine]]:
    """Chains of lines, each right below the one before.

    Two lines are linked when each is what is first met from the other, of like size, no
    farther than lines of double-spaced typing, aligned on one side or centred, with no rule
    between. Where several are met, as below a headline across two columns, only one that
    fits far better than all others is linked.

    Parameters
    ----------
    lines : sequence of FoundLine
    rules : sequence of Box
        Horizontal rules.

    Returns
    -------
    list of list of FoundLine
        From top to bottom within each chain.
    """
    ordered = sorted(lines, key=lambda line: line.level)
    farthest = _farthest(ordered)
    below = {i: _next_below(ordered, i, rules, farthest) for i in range(len(ordered))}
    above: dict[int, list[int]] = {i: [] for i in range(len(ordered))}
    for i, found in below.items():
        for j in found:
            above[j].append(i)
    following: dict[int, int] = {}
    for i, found in below.items():
        best = _clear_best(ordered, i, found)
        if best is not None and _clear_best(ordered, best, above[best]) == i:
            following[i] = best
    chains, started = [], set(following.values())
    for i in range(len(ordered)):
        if i in started:
            continue
        chain = [ordered[i]]
        while i in following:
            i = following[i]
            chain.append(ordered[i])
        chains.append(chain)
    return chains


def _farthest(lines: Sequence[FoundLine]) -> float:
    """How far a line may stand from the next, in line heights: where most keep one wide distance, a little more than that."""
    wide = [line for line in lines if len(line.words) > 2]
    steps = []
    for i, line in enumerate(wide):
        under = (
            b for b in wide[i + 1 :] if b.level > line.level + LEAST_STEP * line.height and _shared(line.box, b.box) > 0
        )
        following = next(under, None)
        if following is not None:
            steps.append(_step(line, following) / max(1.0, (line.height + following.height) / 2))
    if len(steps) < LEAST_EVEN:
        return FARTHEST
    usual = sorted(steps)[len(steps) // 2]
    even = sum(abs(step - usual) < EVEN * usual for step in steps)
    wide_apart = usual * (1 + EVEN) > FARTHEST and even > 0.5 * len(steps)
    return min(EVEN_FARTHEST, usual * (1 + 2 * EVEN)) if wide_apart else FARTHEST


def _next_below(lines: Sequence[FoundLine], i: int, rules: Sequence[Box], farthest: float) -> list[int]:
    """The lines that could follow line `i`, among those first met going down over its width."""
    box, size = lines[i].box, max(1.0, lines[i].height)
    # A page number far below beside a paragraph's short last line is no neighbour.
    reach = lines[i].level + farthest * SIZE_RATIO * size
    met: list[int] = []
    for j in range(i + 1, len(lines)):
        other, level = lines[j].box, lines[j].level
        if level > reach:
            break
        if _shared(box, other) <= 0.1 * min(box.width, other.width) or level < lines[i].level + LEAST_STEP * size:
            continue
        if any(_shared(lines[k].box, other) > 0 and lines[k].level < level - LEAST_STEP * size for k in met):
            continue
        met.append(j)
    return [j for j in met if _could_follow(lines[i], lines[j], farthest) and not _parted(box, lines[j].box, rules)]


def _clear_best(lines: Sequence[FoundLine], i: int, rivals: Sequence[int]) -> int | None:
    """The one of the rivals that fits line `i` far better than all others."""
    width = lines[i].box.width
    real = [j for j in rivals if lines[j].box.width >= SCRAP * min(width, max(lines[k].box.width for k in rivals))]
    ranked = sorted(real, key=lambda j: _misfit(lines[i], lines[j]))
    if not ranked:
        return None
    if len(ranked) > 1 and _misfit(lines[i], lines[ranked[0]]) > MOST_UNLIKE * _misfit(lines[i], lines[ranked[1]]):
        return None
    return ranked[0]


def _shared(a: Box, b: Box) -> int:
    return min(a.right, b.right) - max(a.left, b.left)


def _step(a: FoundLine, b: FoundLine) -> float:
    return abs(b.level - a.level)


def _could_follow(a: FoundLine, b: FoundLine, farthest: float) -> bool:
    size = max(1.0, (a.height + b.height) / 2)
    left, right, centre = _apart(a.box, b.box)
    backwards = mostly_right_to_left([w.language for w in (*a.words, *b.words)])
    starts, shorter = (right, b.box.left > a.box.left) if backwards else (left, b.box.right < a.box.right)
    ends_early = starts < 0.8 * size and shorter and _step(a, b) < CLOSE * size
    flush = ends_early or (max(left, right) < size and _step(a, b) < 1.6 * size)
    sizes = type_size(a), type_size(b)
    unlike = max(sizes) / min(sizes) / vagueness(a)
    if unlike > (FLUSH_RATIO if flush else SIZE_RATIO) or _step(a, b) > farthest * size:
        return False
    return min(left, right, centre) < 3 * size


def _apart(a: Box, b: Box) -> tuple[float, float, float]:
    return abs(a.left - b.left), abs(a.right - b.right), abs(a.centre.x - b.centre.x)


def _misfit(a: FoundLine, b: FoundLine) -> float:
    """How badly the two lines' sides and distance agree, in line heights."""
    size = max(1.0, min(a.height, b.height))
    left, right, _ = _apart(a.box, b.box)
    sizes = type_size(a), type_size(b)
    unlike = (max(sizes) - min(sizes)) / max(sizes)
    return (min(left, right) + 0.3 * max(left, right)) / size + _step(a, b) / size + 5 * unlike


def _parted(a: Box, b: Box, rules: Sequence[Box]) -> bool:
    """Whether a rule runs between the two over most of what they share."""
    left, right = max(a.left, b.left), min(a.right, b.right)
    return any(
        a.centre.y < rule.centre.y < b.centre.y and min(right, rule.right) - max(left, rule.left) > 0.6 * (right - left)
        for rule in rules
    )
