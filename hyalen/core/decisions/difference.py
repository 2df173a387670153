"""Decisions that are only known by their outcome: from two states of a page to operations.

Data directories of before the journal kept operations have whole pages before and after each edit.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from hyalen.core.decisions.decide import leave
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import (
    AssignLanguage,
    AssignRole,
    Confirm,
    ContentOperation,
    Describe,
    Reorder,
    Retext,
)
from hyalen.core.decisions.targets import retext
from hyalen.core.model.content import Line, PageContent, Region, Role, Word, WordState


def decisions_in(content: PageContent, lay: Lay) -> list[ContentOperation]:
    """What a person settled on a page, from the page alone; replayed over it, it changes nothing."""
    return [
        *(_settled(w, lay) for w in content.words if w.settled),
        *(o for r in content.everything if r.drawn for o in _drawn(r, lay)),
        *(leave(content, key, lay) for key in content.accepted),
    ]


def _settled(word: Word, lay: Lay) -> ContentOperation:
    ink = lay.word(word)
    return Confirm(word=ink) if word.state is WordState.ACCEPTED else Retext(words=(ink,), text=word.text)


def _drawn(region: Region, lay: Lay) -> Iterator[ContentOperation]:
    ink = lay.region(region)
    if region.kind.is_picture:
        yield Describe(region=ink, text=region.alternative_text or "", decorative=region.role is Role.ARTIFACT)
    if not region.kind.is_picture or region.lines:
        yield AssignRole(region=ink, role=region.role)


def difference(before: PageContent, after: PageContent, lay: Lay) -> list[ContentOperation]:
    """Operations that lead from one state of a page to another of the same reading."""
    old = {r.id: r for r in before.everything}
    found: list[ContentOperation] = []
    for region in after.everything:
        if region.id in old and region != old[region.id]:
            found += _lines(old[region.id].all_lines, region.all_lines, lay)
            found += _region(old[region.id], region, lay)
    found += _order(before, after, lay)
    found += [leave(after, key, lay) for key in after.accepted if key not in before.accepted]
    return found


def _lines(before: Sequence[Line], after: Sequence[Line], lay: Lay) -> Iterator[ContentOperation]:
    """Lines are told by their baselines, which edits leave alone."""
    left = list(after)
    for line in before:
        now = next((n for n in left if n.baseline == line.baseline), None)
        if now is None:
            yield Retext(words=tuple(lay.word(w) for w in line.words), text="")
            continue
        left.remove(now)
        if [w.text for w in line.words] != [w.text for w in now.words]:
            yield from retext(line, now.text, lay)
        else:
            for was, word in zip(line.words, now.words, strict=True):
                if was.state is not word.state:
                    yield _settled(word, lay)


def _region(before: Region, after: Region, lay: Lay) -> Iterator[ContentOperation]:
    ink = lay.region(after)
    if before.language != after.language and after.language:
        yield AssignLanguage(region=ink, language=after.language)
    decorative = after.role is Role.ARTIFACT
    if after.kind.is_picture and before.kind is after.kind:
        if (before.alternative_text, before.role) != (after.alternative_text, after.role):
            yield Describe(region=ink, text=after.alternative_text or "", decorative=decorative)
    elif before.role is not after.role or (after.drawn and not before.drawn):
        yield AssignRole(region=lay.region(before), role=after.role)


def _order(before: PageContent, after: PageContent, lay: Lay) -> Iterator[ContentOperation]:
    wanted = [r.id for r in after.regions]
    now = [r.id for r in before.regions if r.id in wanted]
    regions = {r.id: r for r in after.regions}
    wanted = [i for i in wanted if i in now]
    for at, region_id in enumerate(wanted):
        if now[at] != region_id:
            # One block that was moved down, or else this one was moved up.
            moved = now[at] if [i for i in now if i != now[at]] == [i for i in wanted if i != now[at]] else region_id
            place = wanted.index(moved)
            before_id = wanted[place + 1] if place + 1 < len(wanted) else None
            yield Reorder(
                region=lay.region(regions[moved]),
                before=lay.region(regions[before_id]) if before_id else None,
                after=lay.region(regions[wanted[place - 1]]) if place else None,
            )
            now.remove(moved)
            now.insert(now.index(before_id) if before_id else len(now), moved)
