"""Headlines of several rows are one heading."""

from __future__ import annotations

import pytest

from hyalen.core.model.content import Region, RegionKind, Role
from hyalen.core.model.geometry import Box, union
from hyalen.core.structure.headlines import with_headlines
from tests.conftest import ContentMaker, make_line

BODY = 26.0


def row(text: str, left: int, right: int, top: int, height: int = 76, role: Role = Role.HEADING_2) -> Region:
    """A heading of one row between two edges."""
    line = make_line(text, left, top, ContentMaker().ids, height=height)
    words = [w.model_copy(update={"box": w.box._replace(bottom=top + height)}) for w in line.words]
    words[-1] = words[-1].model_copy(update={"box": words[-1].box._replace(right=right)})
    line = line.model_copy(update={"words": tuple(words), "box": union(w.box for w in words)})
    line = line.model_copy(update={"box": Box(left, top, right, top + height)})
    outline = line.box.polygon()
    return Region(id=f"r{top}", kind=RegionKind.TEXT, role=role, outline=outline, lines=(line,), language="eng")


FIRST = row("A Year of Gales: Worst Winter", 850, 2320, 450)


@pytest.mark.parametrize("second", [
    row("On Record", 1360, 1830, 565), row("On Record", 850, 1300, 565), row("On Record", 1360, 1830, 565, 70, Role.HEADING_3)
])  # fmt: skip
def test_rows_of_one_size_right_beneath_each_other_are_one_headline(second: Region) -> None:
    (joined,) = with_headlines([FIRST, second], BODY)
    assert joined.text.split("\n") == ["A Year of Gales: Worst Winter", "On Record"]
    assert (joined.id, joined.role) == (FIRST.id, FIRST.role)
    assert joined.box == union((FIRST.box, second.box))


@pytest.mark.parametrize("second", [
    row("On Record", 1360, 1830, 630),  # far below
    row("On Record", 1360, 1830, 565, height=50),  # smaller
    row("On Record", 1500, 2100, 565),  # neither centred nor flush
    row("ON RECORD", 1360, 1830, 565),  # in capitals
    row("2 On record", 1360, 1830, 565),  # counts on
    row("On Record", 1360, 1830, 565, role=Role.PARAGRAPH),
])  # fmt: skip
def test_another_heading_below_is_one_of_its_own(second: Region) -> None:
    assert with_headlines([FIRST, second], BODY) == [FIRST, second]


def test_small_headings_and_ended_ones_stay_apart() -> None:
    pair = [FIRST, row("On Record", 1360, 1830, 565)]
    assert with_headlines(pair, body=70.0) == pair
    ended = row("The lamp is lit.", 850, 2320, 450)
    assert with_headlines([ended, pair[1]], BODY) == [ended, pair[1]]
