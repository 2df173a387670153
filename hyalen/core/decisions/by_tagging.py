"""From what is said of the structure to operations, and what they are called."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import ChartData, ContentOperation, Nest, SayIn, Tie
from hyalen.core.decisions.requests import EditError, NestRegions, OnStructure, SetData, SetWordLanguage, TieCaption
from hyalen.core.decisions.tagging import NESTED
from hyalen.core.decisions.targets import region_of, runs_of
from hyalen.core.languages import is_language, language_name
from hyalen.core.model.content import PageContent
from hyalen.core.structure.lists import DEEPEST


def by_tagging(content: PageContent, request: OnStructure, lay: Lay) -> list[ContentOperation]:
    """The operations that it comes to; see `decide`."""
    match request:
        case NestRegions():
            regions = [region_of(content, i) for i in dict.fromkeys(request.region_ids)]
            items = [r for r in regions if r.role in NESTED]
            if not items:
                raise EditError("only list items and entries of the contents stand within each other")
            depths = [(r, max(0, min(DEEPEST, r.depth + request.by))) for r in items]
            return [Nest(region=lay.region(r), depth=depth) for r, depth in depths if depth != r.depth]
        case TieCaption():
            to = lay.region(region_of(content, request.to)) if request.to is not None else None
            return [Tie(caption=lay.region(region_of(content, request.region_id)), to=to)]
        case SetWordLanguage():
            if not is_language(request.language):
                raise EditError(f"There is no language {request.language!r}; languages have three letters (ISO 639-3).")
            words = runs_of(content, request.word_ids)
            return [SayIn(words=tuple(map(lay.word, run)), language=request.language) for run in words]
        case SetData():
            return [ChartData(region=lay.region(region_of(content, request.region_id)), rows=_even(request.rows))]


def name_by_tagging(request: OnStructure) -> str:
    """What undo calls the change."""
    match request:
        case NestRegions():
            return "item deeper" if request.by > 0 else "item less deep"
        case TieCaption():
            return "caption of a picture" if request.to is not None else "caption of nothing"
        case SetWordLanguage():
            return f"words in {language_name(request.language)}"
        case SetData():
            return "data of a chart" if request.rows else "data of a chart taken away"


def _even(rows: Sequence[Sequence[str]]) -> tuple[tuple[str, ...], ...]:
    """Rows of equal length without empty ones, or columns of nothing, at the end."""
    cells = [[cell.strip() for cell in row] for row in rows]
    width = max((i + 1 for row in cells for i, cell in enumerate(row) if cell), default=0)
    return tuple(tuple((*row, *[""] * width)[:width]) for row in cells if any(row))
