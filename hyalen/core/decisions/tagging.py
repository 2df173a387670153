"""What a hand says of the structure: depths of list items, captions' pictures, languages of words, charts' data."""

from __future__ import annotations

from hyalen.core.decisions.finding import find_region, find_words
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import ChartData, Nest, SayIn, Tie
from hyalen.core.decisions.requests import EditError
from hyalen.core.decisions.roles import placed
from hyalen.core.decisions.wording import put, replaced
from hyalen.core.model.content import PageContent, RegionKind, Role
from hyalen.core.structure.captions import CAPTIONED
from hyalen.core.structure.lists import DEEPEST

NESTED = (Role.LIST_ITEM, Role.CONTENTS_ENTRY)


def nest(content: PageContent, operation: Nest, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    if region.role not in NESTED:
        raise EditError("only list items and entries of the contents stand within each other")
    return replaced(content, region.model_copy(update={"depth": min(DEEPEST, operation.depth)}))


def tie(content: PageContent, operation: Tie, lay: Lay) -> PageContent:
    caption = find_region(content, operation.caption, lay)
    if caption.kind is not RegionKind.TEXT:
        raise EditError("only a text can be a caption")
    other = find_region(content, operation.to, lay) if operation.to is not None else None
    if other is not None and (other.kind not in CAPTIONED or other.role.is_artifact):
        raise EditError("a caption belongs to a picture, a table or a formula that is read")
    update = {
        "captions": other.id if other else "",
        "role": Role.CAPTION,
        "drawn": True,
        "confidence": 1.0,
        "reason": "set by hand",
    }
    return placed(content, caption.model_copy(update=update))


def say_in(content: PageContent, operation: SayIn, lay: Lay) -> PageContent:
    span = find_words(content, operation.words, lay)
    own = "" if operation.language == span.region.language else operation.language
    return put(content, span, [word.model_copy(update={"language": own}) for word in span.words])


def chart_data(content: PageContent, operation: ChartData, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    if region.kind is not RegionKind.FIGURE:
        raise EditError("only a picture has data")
    return replaced(content, region.model_copy(update={"data": operation.rows}))
