"""How many wrong words are left, and which doubts are worth a look."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from math import sqrt
from typing import NamedTuple

NORMAL_95 = 1.959963984540054  # standard deviations to both sides that hold 95 % of a normal distribution
OWN_ERROR = 0.21  # share by which expected and true errors differed on pages that fitted nothing (bench doubts)


class Left(NamedTuple):
    """Words, the wrong ones to be expected among them, and the variance of that number if the chances are true."""

    words: int = 0
    expected: float = 0.0
    variance: float = 0.0

    @classmethod
    def of(cls, chances: Iterable[float]) -> Left:
        """From the chance of each word (a sum of unlike Bernoulli trials)."""
        told = list(chances)
        return cls(len(told), sum(told), sum(p * (1 - p) for p in told))

    def __add__(self, other: object) -> Left:
        if not isinstance(other, Left):
            return NotImplemented
        return Left(self.words + other.words, self.expected + other.expected, self.variance + other.variance)

    @property
    def between(self) -> tuple[int, int]:
        """Where the number lies nineteen times of twenty, the model's own error counted."""
        reach = NORMAL_95 * sqrt(self.variance + (OWN_ERROR * self.expected) ** 2)
        return max(0, round(self.expected - reach)), round(self.expected + reach)

    @property
    def accuracy(self) -> float:
        """The share of words that are right."""
        return 1 - self.expected / self.words if self.words else 1.0


def worth_a_look(left: Left, chances: Sequence[float], goal: float) -> int:
    """How many doubts, the worst first, must be settled for the words to be right to a share of `goal`.

    Parameters
    ----------
    chances : sequence of float
        Of the open doubts, falling.
    """
    spare = (1 - goal) * left.words
    expected = left.expected
    for count, chance in enumerate(chances):
        if expected <= spare:
            return count
        expected -= chance
    return len(chances)
