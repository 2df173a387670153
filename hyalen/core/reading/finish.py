"""What is done to lines once they are read, of a page or of a part of it."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.leaders import with_leaders
from hyalen.core.model.found import FoundBlock, FoundLine
from hyalen.core.model.geometry import Box
from hyalen.core.reading.again import read_again
from hyalen.core.reading.backwards import with_latin_figures
from hyalen.core.reading.capitals import with_small_beginnings
from hyalen.core.reading.dust import without_dust
from hyalen.core.reading.folios import with_folios
from hyalen.core.reading.fractions import with_fractions
from hyalen.core.reading.item_marks import with_item_marks
from hyalen.core.reading.joined import without_joins
from hyalen.core.reading.latin import with_latin_words
from hyalen.core.reading.long_s import without_long_s
from hyalen.core.reading.numero import with_numero
from hyalen.core.reading.on_ink import put_on_ink
from hyalen.core.reading.outer_letters import with_outer_letters
from hyalen.core.reading.raised import read_raised
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import without_ghosts
from hyalen.core.reading.spaced import with_spaced_words
from hyalen.core.reading.spelling import mended, settle_case
from hyalen.core.reading.stops import ends_in_stop, usual_stop, with_marks


def finished(
    ink: Image,
    dpi: float,
    languages: tuple[str, ...],
    blocks: Sequence[FoundBlock],
    leaders: Sequence[Box],
    reader: Reader,
) -> list[FoundBlock]:
    """The blocks with what reads badly read otherwise, and with what no text of their languages would have undone.

    Parameters
    ----------
    ink : (h, w) uint8
        Cleaned, without leaders.
    dpi : float
        Pixels an inch.
    leaders : sequence of Box
        Rows of dots, which are put back into their lines.
    """  # fmt: skip
    blocks = with_spaced_words(ink, dpi, languages, read_again(ink, dpi, languages, blocks, reader), reader)
    blocks = put_on_ink(ink, without_ghosts(ink, blocks))
    blocks = with_item_marks(ink, dpi, languages, blocks, reader)
    blocks = with_outer_letters(ink, dpi, languages, blocks, reader)
    blocks = with_latin_words(ink, dpi, with_latin_figures(ink, dpi, blocks, reader), reader)
    blocks = with_numero(ink, with_fractions(ink, dpi, blocks, reader))
    blocks = read_raised(ink, dpi, blocks, reader)

    usual = usual_stop(ink, blocks)

    def clean(line: FoundLine) -> FoundLine | None:
        kept = mended(line)
        if kept is None:
            return None
        kept = with_marks(ink, kept, usual)
        return without_joins(ink, without_dust(kept, lambda word: ends_in_stop(ink, word, line, usual)))

    blocks = [block._replace(lines=tuple(filter(None, map(clean, block.lines)))) for block in blocks]
    blocks = with_small_beginnings(ink, blocks)
    blocks = with_folios(ink, dpi, languages, blocks, reader)
    return with_leaders(without_long_s(settle_case(blocks)), leaders)
