"""Headings that are centred over paragraphs in the body's own type (common practice, no source)."""

from __future__ import annotations

import pytest

from hyalen.core.model.content import Region, Role
from hyalen.core.structure.centred import centred_heads
from tests.conftest import ContentMaker

ROW = "The oil is landed twice a year, and the tender calls"
BLOCK = "\n".join([ROW, ROW, "in March."])


def page(*between: str, left: int = 0, above: str = BLOCK, gap: int = 0) -> list[Region]:
    """A paragraph, lines that are centred over what follows but for `left` pixels, and another paragraph."""
    made = ContentMaker()
    if above:
        made.add(Role.PARAGRAPH, above)
    width = ContentMaker().add(Role.PARAGRAPH, ROW).regions[0].box.width
    for text in between:
        own = ContentMaker().add(Role.PARAGRAPH, text).regions[0].box.width
        made.at(200 + (width - own) // 2 - left, made.regions[-1].box.bottom + 50 - gap if made.regions else 100)
        made.add(Role.PARAGRAPH, text)
    made.at(200, made.regions[-1].box.bottom + 50 - gap).add(Role.PARAGRAPH, BLOCK)
    return made.regions


def heads(regions: list[Region]) -> list[str]:
    found = centred_heads(regions)
    return [r.text for r in regions if r.id in found]


def test_a_line_in_the_middle_over_a_paragraph_is_a_heading_whatever_its_type() -> None:
    assert heads(page("Of the Oil")) == ["Of the Oil"]
    assert heads(page("Of the Oil", above="")) == ["Of the Oil"]
    assert heads(page("سورةُ النَّحْلِ")) == ["سورةُ النَّحْلِ"]  # marks over letters are no letters


def test_of_lines_over_each_other_a_number_is_none() -> None:
    assert heads(page("Of the Oil", "(16)", above=f"{BLOCK}\n{BLOCK}")) == ["Of the Oil"]


@pytest.mark.parametrize(
    "text", ["The light was lit at dusk.", "and the lamp", "12 + 4 = 16", "PV = nRT", "Of the Oil,"]
)
def test_what_reads_as_no_heading_is_none(text: str) -> None:
    assert heads(page(text)) == []


def test_a_line_at_the_side_or_close_to_its_neighbours_is_none() -> None:
    assert heads(page("Of the Oil", left=200)) == []
    assert heads(page("Of the Oil", gap=35)) == []
    assert heads(page(ROW[:-6])) == []  # it fills the column


def test_lines_that_nothing_follows_or_that_are_most_of_a_page_are_none() -> None:
    assert heads(page("Of the Oil")[:-1]) == []
    assert heads(page("The Lamp", "The Oil", "The Wick", "The Horn")) == []
    play = [each for _ in range(4) for each in page("The Keeper", above="")]
    assert heads([r.model_copy(update={"id": f"{i}"}) for i, r in enumerate(play)]) == []
