"""How well a page's blocks, their order and roles agree with what the eye tells."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from rapidfuzz import fuzz

from hyalen.core.model.content import PageContent, RegionKind

ROLES = {"p": "paragraph", "h": "heading", "c": "caption", "n": "note", "l": "list"}
LIKE = 0.75
LEAKED = 70
LEAST_START = 3  # letters of a block that goes on


@dataclass(frozen=True)
class Score:
    """Shares, 0 to 1; `leaked` artifacts are read aloud; `extra` blocks start where none does."""

    f1: float
    order: float
    roles: float
    leaked: int
    extra: int
    figures: int


def score(content: PageContent, truth: dict[str, Any]) -> Score:
    """Compare a page with its entry in `blocks.json`; a block is met where its first letters agree."""
    made = [(r.role.value, _flat(r.text)) for r in content.regions if r.kind is RegionKind.TEXT]
    wanted: list[list[str]] = [*truth["order"], *truth.get("anywhere", [])]
    used = _matched([text for _, text in made], [start for _, start in wanted])
    needed = [i for i, (kind, _) in enumerate(wanted) if kind != "?"]
    hit = [i for i in needed if i in used]
    extra = [j for j, (_, text) in enumerate(made) if j not in used.values() and text]
    precision, recall = len(hit) / max(1, len(hit) + len(extra)), len(hit) / len(needed)
    inner = [i for i in range(len(truth["order"])) if wanted[i][0] != "?"]
    told = [used[i] for i in inner if i in used]
    rank = {j: k for k, j in enumerate(sorted(told))}
    following = sum(rank[b] == rank[a] + 1 for a, b in pairwise(told))
    typed = [i for i in hit if wanted[i][0] in ROLES]
    asked = any(kind in ROLES for kind, _ in wanted)
    right = sum(made[used[i]][0].startswith(ROLES[wanted[i][0]]) for i in typed)
    return Score(
        f1=2 * precision * recall / (precision + recall) if hit else 0.0,
        order=following / (len(inner) - 1) if len(inner) > 1 else 1.0,
        roles=right / max(1, len(typed)) if asked else 1.0,
        leaked=sum(any(fuzz.ratio(text, _flat(a)) > LEAKED for a in truth["artifacts"]) for _, text in made),
        extra=len(extra),
        figures=sum(r.kind is RegionKind.FIGURE for r in content.regions),
    )


def _matched(made: Sequence[str], starts: Sequence[str]) -> dict[int, int]:
    """Each start's block, the best pairs first."""
    pairs = sorted(((_like(m, s), i, j) for i, s in enumerate(starts) for j, m in enumerate(made)), reverse=True)
    used: dict[int, int] = {}
    for likeness, i, j in pairs:
        if likeness >= LIKE and i not in used and j not in used.values():
            used[i] = j
    return used


def _flat(text: str) -> str:
    """Letters and figures only: marks over letters are none, nor is the tatweel, which stretches a line or is its dash."""
    return re.sub(r"[\W_\u0640]", "", unicodedata.normalize("NFKD", text.lower()))


def _like(text: str, start: str) -> float:
    """Of the first letters; one letter before them, as of a bullet misread, is forgiven. A letter or two is a whole block."""
    wanted = _flat(start)
    if len(wanted) < LEAST_START:
        return float(text == wanted)
    return max(fuzz.ratio(text[: len(wanted)], wanted), fuzz.ratio(text[1 : len(wanted) + 1], wanted)) / 100
