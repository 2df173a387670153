"""Puts lines together that the engine cut apart: one row of one column is one line."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.model.document import RIGHT_TO_LEFT
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.engine import BlockKind, ReadBlock, ReadLine


def join_rows(blocks: Sequence[ReadBlock]) -> list[ReadBlock]:
    """Blocks in which a line that continues another at the same height is part of it.

    Two lines are one when they share most of their height and the space between
    them is no wider than a space between words could be; rows that lie within another
    block's column move there.
    """
    blocks = [b for b in blocks if b.lines or b.kind is BlockKind.PICTURE]
    texts = [[line for line in b.lines] for b in blocks]
    everything = [(i, line) for i, lines in enumerate(texts) for line in lines]
    everything.sort(key=lambda item: item[1].box.left)
    rows: list[tuple[int, ReadLine]] = []
    for block, line in everything:
        for at, (owner, other) in enumerate(rows):
            if _same_row(line.box, other.box, max(line.height, other.height)):
                keeper = owner if len(texts[owner]) >= len(texts[block]) else block
                rows[at] = (keeper, _joined(other, line))
                break
        else:
            rows.append((block, line))
    texts = [sorted((r for i, r in rows if i == block), key=lambda r: r.box.centre.y) for block in range(len(blocks))]
    texts = _gathered(texts)
    return [
        b._replace(lines=tuple(lines), box=union(line.box for line in lines) if lines else b.box)
        for b, lines in zip(blocks, texts, strict=True)
        if lines or b.kind is BlockKind.PICTURE
    ]


def _gathered(texts: list[list[ReadLine]]) -> list[list[ReadLine]]:
    """Single lines go to the block in whose column and height they lie."""
    boxes = [union(line.box for line in lines) if lines else None for lines in texts]
    for i, lines in enumerate(texts):
        if len(lines) != 1:
            continue
        box = lines[0].box
        for j, other in enumerate(boxes):
            if i == j or other is None or len(texts[j]) < 2:
                continue
            near = other.top - box.height * 1.5 < box.centre.y < other.bottom + box.height * 1.5
            if near and other.left - 5 <= box.left and box.right <= other.right + 5:
                inside = other.top < box.centre.y < other.bottom
                if inside:
                    texts[j].append(lines.pop())
                    texts[j].sort(key=lambda line: line.box.centre.y)
                    break
    return texts


def _same_row(a: Box, b: Box, size: float) -> bool:
    shared = min(a.bottom, b.bottom) - max(a.top, b.top)
    gap = max(a.left, b.left) - min(a.right, b.right)
    return shared > 0.6 * min(a.height, b.height) and -0.3 * size < gap < 0.75 * size


def _joined(a: ReadLine, b: ReadLine) -> ReadLine:
    languages = [w.language for w in (*a.words, *b.words)]
    backwards = sum(code in RIGHT_TO_LEFT for code in languages) * 2 > len(languages)
    first, second = (a, b) if (a.box.left < b.box.left) != backwards else (b, a)
    left, right = (a, b) if a.box.left < b.box.left else (b, a)
    return ReadLine(
        words=(*first.words, *second.words),
        box=union((a.box, b.box)),
        baseline=(left.baseline[0], right.baseline[1]),
        height=max(a.height, b.height),
    )
