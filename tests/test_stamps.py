"""A stamp that was found in bits is one text."""

from __future__ import annotations

from hyalen.core.layout.stamps import with_whole_stamps
from hyalen.core.model.content import Region, RegionKind, Role, Subject
from hyalen.core.model.geometry import Point
from tests.conftest import ContentMaker, make_line

SLOPE = -0.1  # it rises to the right


def part(text: str, left: int, row: int, subject: Subject | None = Subject.STAMP) -> Region:
    """One line of a row, as high as the lean has it there."""
    line = make_line(text, left, round(400 + 60 * row + SLOPE * left), ContentMaker().ids)
    rise = round(SLOPE * line.box.width)
    line = line.model_copy(
        update={
            "box": line.box._replace(top=line.box.top + rise),
            "baseline": (Point(left, line.box.bottom), Point(line.box.right, line.box.bottom + rise)),
        }
    )
    name = f"{text} {left}"
    return Region(id=name, kind=RegionKind.TEXT, role=Role.PARAGRAPH, outline=line.box.polygon(), lines=(line,), subject=subject)  # fmt: skip


def test_its_parts_are_joined_row_by_row_along_their_lean() -> None:
    bits = [part("RECEIVED", 130, 0), part("31", 285, 1), part("14 MAR 19", 80, 1), part("SKARNHOLM", 100, 2)]
    (stamp,) = with_whole_stamps(bits, 300)
    assert stamp.text.split("\n") == ["RECEIVED", "14 MAR 19 31", "SKARNHOLM"]
    assert (stamp.id, stamp.subject) == (bits[0].id, Subject.STAMP)
    assert all(stamp.box.covers(each.box) for each in bits)


def test_far_ones_and_other_texts_stay_apart() -> None:
    far = [part("RECEIVED", 130, 0), part("SENT", 900, 0)]
    assert with_whole_stamps(far, 300) == far
    mixed = [part("RECEIVED", 130, 0), part("the lamp is lit", 130, 1, None)]
    assert with_whole_stamps(mixed, 300) == mixed
