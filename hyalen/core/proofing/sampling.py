"""Accuracy told from a random sample of words that nobody has looked at."""

from __future__ import annotations

from math import sqrt
from typing import NamedTuple

from hyalen.core.proofing.remaining import NORMAL_95

MOST = 1_000_000  # words; no sample is larger


class Interval(NamedTuple):
    """Between which shares the truth lies, nineteen times of twenty."""

    low: float
    high: float

    @property
    def reach(self) -> float:
        """Half its width."""
        return (self.high - self.low) / 2


def wilson(right: int, looked_at: int) -> Interval:
    """The score interval of a share (Wilson, "Probable inference", JASA 22(158), 1927), without continuity correction."""
    if looked_at == 0:
        return Interval(0.0, 1.0)
    share, z2 = right / looked_at, NORMAL_95**2
    middle = (share + z2 / (2 * looked_at)) / (1 + z2 / looked_at)
    reach = NORMAL_95 / (1 + z2 / looked_at) * sqrt(share * (1 - share) / looked_at + z2 / (4 * looked_at * looked_at))
    return Interval(max(0.0, middle - reach), min(1.0, middle + reach))


def more_for(right: int, looked_at: int, reach: float) -> int:
    """How many words more must be looked at for an interval of `reach` to both sides, if as many are right."""
    share = right / looked_at if looked_at else 1.0
    low, high = looked_at, MOST
    if wilson(round(share * high), high).reach > reach:
        return MOST - looked_at
    while low < high:
        middle = (low + high) // 2
        if wilson(round(share * middle), middle).reach <= reach:
            high = middle
        else:
            low = middle + 1
    return max(0, low - looked_at)
