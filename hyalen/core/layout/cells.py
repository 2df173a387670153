"""What a table's columns tell of its cells: which are figures, and which are headers."""

from __future__ import annotations

import re
from collections.abc import Sequence
from statistics import median

from hyalen.core.layout.aligned import is_number
from hyalen.core.model.content import Cell, Line, Table, Word
from hyalen.core.model.geometry import union

WHITE = 1.2  # of a line's height, behind a point or comma within a figure
_TO_BE_ENDED, _END = re.compile(r"[-+]?\d+[.,]"), re.compile(r"\d{1,3}")
MOSTLY = 0.6  # of a column's cells that are figures, for the rest to be some
MISREAD, SURE = 0.3, 0.8  # the same, between columns of figures; usual confidence of what are no misread figures there
INSTEAD = frozenset(
    {"nil", "none", "do", "ditto", "id", "idem", "n/a", "néant", "ibid"}
)  # of a figure; common practice, no source
# Letters that readers take figures for; common practice, no source.
_FIGURES = str.maketrans({"O": "0", "o": "0", "Q": "0", "D": "0", "l": "1", "I": "1", "|": "1", "i": "1", "S": "5", "s": "5",
                          "B": "8", "Z": "2", "z": "2", "G": "6"})  # fmt: skip


def numeric_columns(cells: Sequence[Cell], columns: int) -> set[int]:
    """The columns whose cells below the first row are figures, most of them.

    Between two such columns fewer do, where what else stands there reads unsurely and is no longer than figures are:
    those were misread.
    """
    held: dict[int, list[Cell]] = {}
    for cell in cells:
        if cell.row > 0 and cell.column_span == 1 and cell.text.strip():
            held.setdefault(cell.column, []).append(cell)
    figures = {column: [c for c in mine if _is_figure(c.text)] for column, mine in held.items()}
    found = {column for column, mine in held.items() if len(figures[column]) >= MOSTLY * len(mine)}
    longest = max((len(c.text.strip()) for column in found for c in figures[column]), default=0)

    def is_misread(column: int, mine: Sequence[Cell]) -> bool:
        between = column - 1 in found and (column + 1 in found or column + 1 == columns)
        others = [[w for line in c.lines for w in line.words] for c in mine if not _is_figure(c.text)]
        if not others or not between or len(figures[column]) < MISREAD * len(mine):
            return False
        short = all(len(words) == 1 and len(words[0].text) <= longest for words in others)
        return short and median(w.confidence for words in others for w in words) < SURE

    return found | {column for column, mine in held.items() if is_misread(column, mine)}


def as_read(cells: Sequence[Cell], backwards: bool) -> tuple[Cell, ...]:
    """Cells in the order in which they are read: row by row, from the right where `backwards`."""
    return tuple(sorted(cells, key=lambda c: (c.row, -c.column if backwards else c.column)))


def settled(cells: Sequence[Cell], columns: int, backwards: bool = False) -> tuple[Cell, ...]:
    """The cells with the letters of a column of figures read as figures, and headers marked.

    The first row is one of headers, and the second where the first spans several columns; the
    first column, or the last one where rows are read `backwards`, is where it has words and most others figures.
    """
    first = columns - 1 if backwards else 0
    numeric = numeric_columns(cells, columns)
    spanned = any(c.row == 0 and c.column_span > 1 for c in cells)
    named = any(c.column == first and c.row > 0 and c.text.strip() for c in cells)
    by_row = first not in numeric and len(numeric) * 2 >= columns - 1 > 0 and named

    def settle(cell: Cell) -> Cell:
        heads = cell.row == 0 or (cell.row == 1 and spanned and cell.row_span == 1)
        header = heads or (by_row and cell.column == first)
        if cell.column not in numeric or not cell.lines:
            return cell.model_copy(update={"header": header})
        lines = []
        for line in cell.lines:
            words = _with_figures_whole(line)
            lines.append(line.model_copy(update={"words": tuple(words if heads else map(_as_figure, words))}))
        return cell.model_copy(update={"header": header, "lines": tuple(lines)})

    return tuple(settle(cell) for cell in cells)


def odd_cells(table: Table) -> list[Cell]:
    """The cells of columns of figures that hold something else, but for dashes and words that stand for a figure."""
    numeric = numeric_columns(table.cells, table.columns)
    return [
        c
        for c in table.cells
        if c.column in numeric
        and not c.header
        and c.column_span == 1
        and any(letter.isalnum() for letter in c.text)
        and not _is_figure(c.text)
        and c.text.strip(" .").casefold() not in INSTEAD
    ]


def _is_figure(text: str) -> bool:
    return all(is_number(part) for part in text.split())


def _with_figures_whole(line: Line) -> list[Word]:
    """The line's words, a figure that was parted behind its point or comma made one: in typescript the white there is wide."""
    words: list[Word] = []
    for word in line.words:
        last = words[-1] if words else None
        if last is None or not (_TO_BE_ENDED.fullmatch(last.text) and _END.fullmatch(word.text)):
            words.append(word)
            continue
        white = max(last.box.left, word.box.left) - min(last.box.right, word.box.right)
        if white > WHITE * line.height:
            words.append(word)
            continue
        letters = last.letters + word.letters if last.letters and word.letters else ""
        words[-1] = last.model_copy(
            update={
                "text": last.text + word.text,
                "box": union((last.box, word.box)),
                "confidence": min(last.confidence, word.confidence),
                "others": (f"{last.text} {word.text}",),
                "letters": letters,
            }
        )
    return words


def _as_figure(word: Word) -> Word:
    text = word.text.translate(_FIGURES)
    if text == word.text or not is_number(text) or is_number(word.text):
        return word
    return word.model_copy(update={"text": text, "others": (word.text, *word.others)})
