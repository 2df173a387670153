"""A page's content: operations replayed over what was read."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from hyalen.core.decisions.finding import find_region, find_words
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.lines import break_before, insert_row, join_next
from hyalen.core.decisions.operations import (
    AssignLanguage,
    AssignRole,
    BreakBefore,
    ChartData,
    Confirm,
    ContentOperation,
    Describe,
    Draw,
    Fill,
    Insert,
    InsertRow,
    JoinNext,
    Leave,
    Merge,
    Nest,
    Omit,
    ReadAfresh,
    Recast,
    Redact,
    Regrid,
    Remove,
    Reorder,
    Reread,
    Reshape,
    Resize,
    Restyle,
    Retext,
    SayIn,
    Split,
    Substitute,
    Thread,
    Tie,
)
from hyalen.core.decisions.requests import EditError
from hyalen.core.decisions.roles import assign_role, describe, reorder
from hyalen.core.decisions.shaping import (
    draw,
    merge,
    omit,
    recast,
    redact,
    remove,
    reread,
    reshape,
    resize,
    split,
    substitute,
    thread,
)
from hyalen.core.decisions.styling import restyle
from hyalen.core.decisions.tables import fill, regrid
from hyalen.core.decisions.tagging import chart_data, nest, say_in, tie
from hyalen.core.decisions.wording import confirm, insert, replaced, retext
from hyalen.core.layout.grids import turned
from hyalen.core.model.content import PageContent


class Replayed(NamedTuple):
    """`unplaced` are the places in the sequence of operations whose ink was not found."""

    content: PageContent
    unplaced: tuple[int, ...]


def replay(reading: PageContent, operations: Sequence[ContentOperation], lay: Lay) -> Replayed:
    """What a page says after its operations, in order; one that finds no place is told and passed over."""
    content, unplaced = reading, list[int]()
    for at, operation in enumerate(operations):
        if isinstance(operation, ReadAfresh):
            # What was taken out for good stays out, whatever the page says now.
            content, unplaced = reading.model_copy(update={"redactions": content.redactions}), []
            continue
        try:
            content = perform(content, operation, lay)
        except EditError:
            unplaced.append(at)
    return Replayed(content, tuple(unplaced))


def perform(content: PageContent, operation: ContentOperation, lay: Lay) -> PageContent:
    """The content after one operation.

    Raises
    ------
    Unplaced
        If its ink is not there.
    EditError
        If what is there cannot take the change.
    """
    match operation:
        case Retext():
            return retext(content, operation, lay)
        case Insert():
            return insert(content, operation, lay)
        case Confirm():
            return confirm(content, operation.word, lay)
        case AssignRole():
            return assign_role(content, find_region(content, operation.region, lay), operation.role)
        case Describe():
            return describe(content, find_region(content, operation.region, lay), operation)
        case AssignLanguage():
            region = find_region(content, operation.region, lay)
            table = region.table and turned(region.table, operation.language)
            return replaced(content, region.model_copy(update={"language": operation.language, "table": table}))
        case Reorder():
            return reorder(content, operation, lay)
        case Draw():
            return draw(content, operation, lay)
        case Reshape():
            return reshape(content, operation, lay)
        case Merge():
            return merge(content, operation, lay)
        case Split():
            return split(content, operation, lay)
        case Remove():
            return remove(content, operation, lay)
        case Omit():
            return omit(content, operation, lay)
        case Substitute():
            return substitute(content, operation, lay)
        case Resize():
            return resize(content, operation, lay)
        case Recast():
            return recast(content, operation, lay)
        case Reread():
            return reread(content, operation, lay)
        case Thread():
            return thread(content, operation, lay)
        case Regrid():
            return regrid(content, operation, lay)
        case Fill():
            return fill(content, operation, lay)
        case Restyle():
            return restyle(content, operation, lay)
        case BreakBefore():
            return break_before(content, operation, lay)
        case JoinNext():
            return join_next(content, operation, lay)
        case InsertRow():
            return insert_row(content, operation, lay)
        case Nest():
            return nest(content, operation, lay)
        case Tie():
            return tie(content, operation, lay)
        case SayIn():
            return say_in(content, operation, lay)
        case ChartData():
            return chart_data(content, operation, lay)
        case Redact():
            return redact(content, operation, lay)
        case Leave():
            return _leave(content, operation, lay)
        case ReadAfresh():
            return content


def _leave(content: PageContent, operation: Leave, lay: Lay) -> PageContent:
    key = operation.doubt
    if operation.at is not None:
        if operation.at.kind is None:
            key += f":{find_words(content, (operation.at,), lay).words[0].id}"
        else:
            key += f":{find_region(content, operation.at, lay).id}"
    if key in content.accepted:
        return content
    return content.model_copy(update={"accepted": (*content.accepted, key)})
