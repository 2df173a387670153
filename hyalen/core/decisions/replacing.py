"""What was found in a passage gives way to another text: which words say what then."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import Redact, Retext
from hyalen.core.decisions.targets import runs_of
from hyalen.core.model.content import PageContent, Word
from hyalen.core.model.geometry import Box, union
from hyalen.core.proofing.search import Span

BEYOND = 4  # pixels around a word that go with it


class Replaced(NamedTuple):
    """A place in a passage, the words that it touches, and what stands there then."""

    start: int
    end: int
    words: tuple[Span, ...]
    text: str


def replacing(content: PageContent, passage: str, found: Sequence[Replaced], lay: Lay) -> list[Retext]:
    """The changes of a passage's words, from its end to its start.

    A text that goes over a line's end stands in its first line then.
    """
    known = {word.id: word for word in content.words}
    clusters: list[list[Replaced]] = []
    for each in sorted(found, key=lambda r: r.start):
        if clusters and each.words[0] in clusters[-1][-1].words:
            clusters[-1].append(each)
        else:
            clusters.append([each])
    return [o for cluster in reversed(clusters) for o in _retexts(passage, cluster, known, lay)]


def _retexts(passage: str, cluster: Sequence[Replaced], known: Mapping[str, Word], lay: Lay) -> list[Retext]:
    words = list(dict.fromkeys(span for each in cluster for span in each.words))
    first, last = words[0], words[-1]
    text, at = "", first.start
    for each in cluster:
        text += passage[at : each.start] + each.text
        at = each.end
    text += passage[at : last.end]
    if len({span.line for span in words}) == 1:  # a hyphen that the line's end has put there stays
        text += known[last.word_id].text[last.end - last.start :]
    made = []
    for line in sorted({span.line for span in words}, reverse=True):
        inks = tuple(lay.word(known[span.word_id]) for span in words if span.line == line)
        made.append(Retext(words=inks, text=" ".join(text.split()) if line == first.line else ""))
    return made


def covering(content: PageContent, word_ids: Sequence[str], lay: Lay) -> list[Redact]:
    """Redactions of words, those that stand side by side in a line as one."""
    whole = Box(0, 0, content.width, content.height)
    boxes = (union(w.box for w in run).grown(BEYOND).intersection(whole) for run in runs_of(content, word_ids))
    areas = [box.polygon() for box in boxes if box.polygon() not in content.redactions]
    return [Redact(area=lay.places([(p.x, p.y) for p in area])) for area in areas]
