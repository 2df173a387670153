"""What becomes of each side of the sheets that went through a scanner: documents, and places in them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

from hyalen.core.model.geometry import Frozen
from hyalen.core.scanning.wish import Aim, Sides, Wish

Fate = Literal["page", "blank", "separator"]


class Judged(Frozen):
    """What is to be seen on a side as it came from the scanner.

    Attributes
    ----------
    separator : str or None
        What a separator sheet says of the document after it; "" where it names none.
    remarks : tuple of str
        What is wrong with it, worth a look while the paper is at hand.
    """

    width: int
    height: int
    blank: bool = False
    separator: str | None = None
    remarks: tuple[str, ...] = ()


class Placed(NamedTuple):
    """Of a face: its fate, the document (counted from 0; of a scan that begins none, 0), and its place there.

    Places are even for fronts and the following odd number for their backs, also where a side is left out.
    """

    face: int
    fate: Fate
    document: int
    place: int
    name: str


def placed(wish: Wish, aim: Aim, faces: Sequence[Judged]) -> list[Placed]:
    """What becomes of the faces of a first pass; a sheet of which only the front has come is not yet decided.

    Parameters
    ----------
    faces : sequence of Judged
        In the order in which they came: fronts, or fronts and backs in turn.
    """
    step = 2 if wish.sides is Sides.BOTH else 1
    found: list[Placed] = []
    document, sheets, name, begun = 0, 0, "", False
    for first in range(0, len(faces) - step + 1, step):
        sheet = range(first, first + step)
        mark = next((faces[i].separator for i in sheet if faces[i].separator is not None), None)
        empty = all(faces[i].blank for i in sheet)
        cuts = (aim.cut == "separator" and mark is not None) or (aim.cut == "blank" and empty)
        if cuts:
            if begun:
                document, sheets, begun = document + 1, 0, False
            name = mark or ""
            found += [Placed(i, "separator", document, 0, name) for i in sheet]
            continue
        if aim.cut == "sheets" and sheets == aim.sheets:
            document, sheets, name = document + 1, 0, ""
        for at, i in enumerate(sheet):
            fate: Fate = "blank" if wish.drop_blank and faces[i].blank else "page"
            found.append(Placed(i, fate, document, 2 * sheets + at, name))
        sheets, begun = sheets + 1, True
    return found


def backs(count: int, faces: int, backwards: bool = True) -> list[int]:
    """For each face of a second pass, the front whose back it is.

    A stack that is turned over whole comes out with its last sheet first.

    Raises
    ------
    ValueError
        If there are not as many as fronts.
    """
    if faces != count:
        more = "more" if faces > count else "fewer"
        raise ValueError(
            f"{count} fronts, but {faces} backs: {more} than there are sheets. "
            "Two went through together, or one was not laid in again."
        )
    return list(range(count - 1, -1, -1)) if backwards else list(range(count))
