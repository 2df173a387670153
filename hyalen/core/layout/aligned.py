"""Tables without a full grid of rules: told by columns that stand under each other."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.layout.numerals import page_number
from hyalen.core.layout.tables import FoundCell, FoundTable
from hyalen.core.layout.witness import Kind, Witness
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union

GAP = 1.5  # line heights between two cells of a row that by itself looks tabular
NARROW_GAP, WIDE_GAP = 0.6, 1.0  # between columns: of many rows, of few
MANY_ROWS = 6  # rows, at which narrower gaps part columns
MOST_CROSSED = 0.12  # of the rows: headings and section titles may stand across columns
IN_LINE = 2  # stretches of white, that tell two parts of a table from text
FARTHEST_ROW = 3.2  # line heights to the next row
LEAST_ROWS = 3  # of a table
MANY_COLUMNS = 5  # of which a head and a single row of figures are a table
PROSE_WORDS = 4  # beside figures, that are a sentence
APART = 2.5  # distances of rows, that a total may stand below the last one
CELL_WORDS = 3.5  # words of a cell on average: more are columns of text
LEAST_RUNNING, LINE_WORDS = 6, 2.2  # lines of running text in a column, and words of one
FILLS, MOSTLY_FULL = 0.85, 0.6  # of a column's width, that such a line fills; of them, that do
LEAST_TOLD = 0.55  # confidence of the model's table that is believed
LEVEL, LEVEL_TEXT = 0.4, 0.25  # line heights within which cells stand in one row, and text beside cells
MOST_BEYOND = 0.5  # of the lines of text that stands beside cells, above and below these
MOSTLY_HEADED = 0.7  # of the columns under a head, that have one of their own in its cell
CLOSE = 0.7  # line heights of white between two lines of a name
WRAPPED = 0.85  # of the usual distance of rows
FRACTIONS = "½¼¾⅓⅔⅛⅜⅝⅞⅕⅖⅗⅘⅙⅚"  # signs of one character; Unicode, Latin-1 Supplement and Number Forms
NUMERO = "№"  # Unicode, Letterlike Symbols
BY_INK = FRACTIONS + NUMERO  # read from their ink: what the engine has there, which knows them not, tells nothing
NUMBER = re.compile(
    rf"^[^\w]*(?:[A-Z]{{0,3}}[£$€]\s?)?[-–—+(]?[\d{FRACTIONS}][\d.,:/'’ °{FRACTIONS}%‰-]*[)%°*†]*[^\w]*$"
)
_LEADER = re.compile(r"^[.…·_\-–—]{2,}$|^[.·…]$")
_LIST = re.compile(r"^(?:[•●▪■◦‣*·—–-]|[(\[]?(?:\d{1,3}|[ivxlc]{1,5}|[a-z])[.)\]])$", re.IGNORECASE)


class Row(NamedTuple):
    """Words of one height across a part of the page, from the left; of several where its cells have more `lines`."""

    words: tuple[FoundWord, ...]
    level: float
    height: float
    lines: tuple[tuple[FoundWord, ...], ...] = ()

    @property
    def box(self) -> Box:
        return union(w.box for w in self.words)

    @property
    def top(self) -> float:
        """Where most words end above: one tall one does not count."""
        return float(np.median([w.box.top for w in (self.lines or (self.words,))[0]]))

    @property
    def bottom(self) -> float:
        return float(np.median([w.box.bottom for w in (self.lines or (self.words,))[-1]]))

    def gaps(self) -> list[float]:
        reach = self.words[0].box.right
        found: list[float] = []
        for word in self.words[1:]:
            found.append(word.box.left - reach)
            reach = max(reach, word.box.right)
        return found

    @property
    def parted(self) -> bool:
        """Whether white parts it that no space between words is."""
        return any(gap > GAP * self.height for gap in self.gaps())

    @property
    def tabular(self) -> bool:
        """Whether the row by itself looks like cells: wide gaps, or figures beside each other."""
        numbers = sum(is_number(w.text) for w in self.words)
        return self.parted or (numbers > 2 and numbers > 0.5 * len(self.words))


def is_number(text: str) -> bool:
    """Whether a word is a figure, with its sign, unit or separators."""
    return bool(NUMBER.match(text))


def find_aligned_tables(
    chains: Sequence[Sequence[FoundLine]], across: Sequence[Box] = (), told: Sequence[Witness] = ()
) -> list[FoundTable]:
    """Tables whose rows and columns only white space, or some horizontal rules, tell.

    Chains of lines that stand level with each other are taken together; rows with wide gaps
    or several figures make a run, and what nearly no row of it crosses parts columns. A run is
    a table where its cells are short and figures or several columns speak for it, not where
    they read like columns of text, a list's marks or a table of contents.

    Parameters
    ----------
    chains : sequence of sequence of FoundLine
        From `columns`.
    across : sequence of Box
        Horizontal rules.
    told : sequence of Witness
        What a learned model takes the page's parts for.
    """
    boxes = [w.box for w in told if w.kind is Kind.TABLE and w.confidence > LEAST_TOLD]
    found: list[FoundTable] = []
    for group in _groups(chains, boxes):
        rows = _rows([line for chain in group for line in chain])
        for run in _runs(rows):
            table = _table(run, across, boxes)
            if table is not None and not any(t.box.overlap(table.box) for t in found):
                found.append(table)
    lines = [line for chain in chains for line in chain]
    return [_gone_on(table, lines, found) for table in found]


def _gone_on(table: FoundTable, lines: Sequence[FoundLine], tables: Sequence[FoundTable]) -> FoundTable:
    """The table with the rows right below it that keep to its columns, as totals do that stand a little apart."""
    pitch = table.box.height / table.rows
    lefts = [min(c.box.left for c in table.cells if c.column == k) for k in range(table.columns)]
    edges = [*lefts, table.box.right]
    slack = 0.3 * pitch
    inside = [x for x in lines if table.box.left - pitch < x.box.left and x.box.right < table.box.right + pitch]
    rest = [x for x in inside if x.level > table.box.bottom and not any(t.box.covers(x.box) for t in tables)]
    rows: list[Row] = []
    waiting: list[Row] = []
    bottom = table.box.bottom
    for row in _rows(rest):
        last = waiting or rows
        if last and row.top < last[-1].bottom - slack:  # of one row, a little off
            row = row._replace(words=(*last.pop().words, *row.words))
        held = [_column(word, edges, slack) for word in row.words]
        if row.top - bottom > APART * pitch or None in held:
            break
        numbers = sum(is_number(w.text) for w in row.words)
        if len(set(held)) > 1 and numbers >= 0.5 * len(row.words):
            rows += [*waiting, row]
            waiting = []
        elif len(set(held)) == 1 and len(waiting) < 2:  # its figures were not read
            waiting.append(row)
        else:
            break
        bottom = round(row.bottom)
    if not rows:
        return table
    tops = [table.box.bottom, *_middles(rows)]
    ends = [*tops[1:], union(r.box for r in rows).bottom + 1]
    cells = list(table.cells)
    for at, (top, end) in enumerate(zip(tops, ends, strict=True)):
        for k, (left, right) in enumerate(pairwise(edges)):
            cells.append(FoundCell(table.rows + at, k, 1, 1, Box(left, top, right, max(end, top + 1))))
    left = min(table.box.left, *(r.box.left for r in rows))
    box = Box(left, table.box.top, max(table.box.right, *(r.box.right for r in rows)), ends[-1])
    return FoundTable(box, table.rows + len(rows), table.columns, tuple(cells))


def _column(word: FoundWord, edges: Sequence[int], slack: float) -> int | None:
    """The column that a word stands in; None where it stands across two."""
    for at, (left, right) in enumerate(pairwise(edges)):
        if left - slack <= word.box.left and word.box.right <= right + slack:
            return at
    return None


def _groups(chains: Sequence[Sequence[FoundLine]], boxes: Sequence[Box]) -> list[list[Sequence[FoundLine]]]:
    """Chains that belong together: level with each other, within one box that is told, or one below another."""
    parent = list(range(len(chains)))

    def root(i: int) -> int:
        while parent[i] != i:
            i = parent[i]
        return i

    spans = [union(line.box for line in chain) for chain in chains]
    for i in range(len(chains)):
        for j in range(i):
            together = any(b.covers(spans[i], 0.7) and b.covers(spans[j], 0.7) for b in boxes)
            if together or _level(chains[i], chains[j], spans[i], spans[j]):
                parent[root(i)] = root(j)
    groups: dict[int, list[Sequence[FoundLine]]] = {}
    for i, chain in enumerate(chains):
        groups.setdefault(root(i), []).append(chain)
    return _stacked(list(groups.values()))


def _stacked(groups: list[list[Sequence[FoundLine]]]) -> list[list[Sequence[FoundLine]]]:
    """Groups of short cells that stand one right below the other are one: rows that share no column may be parted."""
    ordered = sorted(groups, key=lambda group: min(line.box.top for chain in group for line in chain))
    merged: list[list[Sequence[FoundLine]]] = []
    for group in ordered:
        box = _around(group)
        height = max(line.height for chain in group for line in chain)
        for other in reversed(merged):
            above = _around(other)
            near = -height < box.top - above.bottom < 1.8 * height or above.covers(box)
            shared = min(box.right, above.right) - max(box.left, above.left)
            if not near or shared <= 0.5 * min(box.width, above.width):
                continue
            if all(_cell_like(chain) for chain in (*group, *other)) or _in_line(other, group):
                other += group
                break
        else:
            merged.append(list(group))
    return merged


def _in_line(above: Sequence[Sequence[FoundLine]], below: Sequence[Sequence[FoundLine]]) -> bool:
    """Whether the white between three columns at least goes on from one part to the other."""
    first, second = (_rows([line for chain in group for line in chain]) for group in (above, below))
    if not first or not second:
        return False
    parted = min(len(_separators(first)), len(_separators(second)))
    return parted >= IN_LINE and len(_separators([*first, *second])) >= parted


def _around(group: Sequence[Sequence[FoundLine]]) -> Box:
    return union(line.box for chain in group for line in chain)


def _level(a: Sequence[FoundLine], b: Sequence[FoundLine], box_a: Box, box_b: Box) -> bool:
    if box_a.bottom <= box_b.top or box_b.bottom <= box_a.top:
        return False
    if not (_cell_like(a) or _cell_like(b)):
        return False
    level = LEVEL if _cell_like(a) and _cell_like(b) else LEVEL_TEXT
    short, long = sorted((a, b), key=len)
    size = float(np.median([line.height for line in long]))
    levels = np.array([line.level for line in long])
    top, bottom = max(box_a.top, box_b.top), min(box_a.bottom, box_b.bottom)
    if not _cell_like(long) and ((levels < top) | (levels > bottom)).sum() > MOST_BEYOND * len(long):
        return False  # running text that goes on above and below a table beside it
    met = sum(bool((np.abs(levels - line.level) < level * size).any()) for line in short)
    return met >= 0.75 * len(short)


def _cell_like(chain: Sequence[FoundLine]) -> bool:
    words = [w for line in chain for w in line.words]
    numbers = sum(is_number(w.text) for w in words)
    return len(words) <= CELL_WORDS * len(chain) or numbers > 0.5 * len(words)


def split_rows(table: FoundTable, lines: Sequence[FoundLine]) -> FoundTable:
    """A ruled table whose rows hold several lines that stand level across its columns, with a row for each of them.

    Ledgers are often ruled between columns and under the head only.
    """
    table = _spanning_heads_split(_crossing_cells_cut(table, lines), lines)
    cells: list[FoundCell] = []
    shift = 0
    for r in range(table.rows):
        mine = [c for c in table.cells if c.row == r]
        spanned = any(c.row <= r < c.row + c.row_span and c.row_span > 1 for c in table.cells)
        cuts = [] if spanned else _levels_across(mine, lines)
        for cell in mine:
            edges = [cell.box.top, *cuts, cell.box.bottom]
            for i, (top, bottom) in enumerate(pairwise(edges)):
                box = Box(cell.box.left, top, cell.box.right, bottom)
                cells.append(cell._replace(row=r + shift + i, box=box))
        shift += len(cuts)
    return table._replace(rows=table.rows + shift, cells=tuple(cells))


def _inside(cell: FoundCell, lines: Sequence[FoundLine]) -> list[FoundLine]:
    """The parts of the lines that stand in a cell."""
    parts = (line._replace(words=tuple(w for w in line.words if cell.box.covers(w.box))) for line in lines)
    return [part for part in parts if part.words]


def _crossing_cells_cut(table: FoundTable, lines: Sequence[FoundLine]) -> FoundTable:
    """A column that no rule parts where its neighbours are parted, cut there, if it holds rows of its own."""
    tops = {r: min(c.box.top for c in table.cells if c.row == r) for r in {c.row for c in table.cells}}
    cells: list[FoundCell] = []
    for cell in table.cells:
        levels = [tops[r] for r in range(cell.row + 1, cell.row + cell.row_span) if r in tops]
        rows = _rows(_inside(cell, lines)) if levels else []
        cut = len(levels) == cell.row_span - 1 and len(rows) >= LEAST_ROWS
        if not cut or any(row.top < level < row.bottom for row in rows for level in levels):
            cells.append(cell)
            continue
        edges = [cell.box.top, *levels, cell.box.bottom]
        for i, (top, bottom) in enumerate(pairwise(edges)):
            box = Box(cell.box.left, top, cell.box.right, bottom)
            cells.append(cell._replace(row=cell.row + i, row_span=1, box=box))
    return table._replace(cells=tuple(cells))


def _spanning_heads_split(table: FoundTable, lines: Sequence[FoundLine]) -> FoundTable:
    """A first row in which a head over several columns and theirs stand in one cell, made two."""
    wide = [c for c in table.cells if c.row == 0 and c.column_span > 1 and c.row_span == 1]
    below = {c.column: c for c in table.cells if c.row == 1 and c.column_span == 1}
    cuts: list[int] = []
    for cell in wide:
        rows = _rows(_inside(cell, lines))
        leaves = [below[k] for k in range(cell.column, cell.column + cell.column_span) if k in below]
        if len(rows) < 2 or len(leaves) != cell.column_span:
            return table
        headed = {i for w in rows[-1].words for i, e in enumerate(leaves) if e.box.left <= w.box.centre.x < e.box.right}
        if len(headed) < MOSTLY_HEADED * len(leaves):
            return table
        cuts.append(_middles(rows)[-1])
    if not cuts or max(cuts) - min(cuts) > max(c.box.height for c in wide) / 4:
        return table
    level, cells = round(sum(cuts) / len(cuts)), list[FoundCell]()
    for cell in table.cells:
        left, top, right, bottom = cell.box
        if cell in wide:
            cells.append(cell._replace(box=Box(left, top, right, level)))
            for column in range(cell.column, cell.column + cell.column_span):
                leaf = below[column].box
                cells.append(FoundCell(1, column, 1, 1, Box(leaf.left, level, leaf.right, bottom)))
        elif cell.row == 0:
            cells.append(cell._replace(row_span=cell.row_span + 1))
        else:
            cells.append(cell._replace(row=cell.row + 1))
    return table._replace(rows=table.rows + 1, cells=tuple(cells))


def _levels_across(cells: Sequence[FoundCell], lines: Sequence[FoundLine]) -> list[int]:
    """Heights at which a row of cells is to be cut; none where its lines are no rows."""
    inside = []
    for line in lines:
        words = tuple(w for w in line.words if any(c.box.covers(w.box) for c in cells))
        if words:
            inside.append(line._replace(words=words))
    rows = _rows(inside)
    if len(rows) < LEAST_ROWS:
        return []
    rows = _wrapped_joined(rows, [float(min(c.box.right for c in cells))])
    held = [{i for i, c in enumerate(cells) for w in row.words if c.box.covers(w.box)} for row in rows]
    if sum(len(each) > 1 for each in held) < 0.7 * len(rows) or len(cells) < 2:
        return []
    return _middles(rows)


def _middles(rows: Sequence[Row]) -> list[int]:
    """Heights between the rows, each below the one before."""
    found: list[int] = []
    for a, b in pairwise(rows):
        middle = round((a.bottom + b.top) / 2)
        found.append(max(middle, found[-1] + 1) if found else middle)
    return found


def _rows(lines: Sequence[FoundLine]) -> list[Row]:
    rows: list[list[FoundLine]] = []
    for line in sorted(lines, key=lambda line: line.level):
        row = rows[-1] if rows else [line]
        height = (line.height + float(np.median([each.height for each in row]))) / 2
        if rows and abs(line.level - float(np.mean([each.level for each in row]))) < LEVEL * height:
            row.append(line)
        else:
            rows.append([line])
    made = []
    for row in rows:
        words = sorted((w for line in row for w in line.words if not _LEADER.match(w.text)), key=lambda w: w.box.left)
        if words:
            height = float(np.median([line.height for line in row]))
            made.append(Row(tuple(words), float(np.mean([line.level for line in row])), height))
    return _with_bits(made)


def _with_bits(rows: Sequence[Row]) -> list[Row]:
    """The rows, one of a single word that stands within the height of the next, but not on its line, a part of that."""
    made: list[Row] = []
    for row in rows:
        (first, *others), last = row.words, made[-1] if made else None
        if last is not None and not others and last.top <= first.box.top and first.box.bottom <= last.bottom:
            made[-1] = _with_words(last, row)
        elif last is not None and len(last.words) == 1 and row.top <= last.top and last.bottom <= row.bottom:
            made[-1] = _with_words(row, last)
        else:
            made.append(row)
    return made


def _with_words(row: Row, bit: Row) -> Row:
    return row._replace(words=tuple(sorted((*row.words, *bit.words), key=lambda w: w.box.left)))


def _runs(rows: Sequence[Row]) -> list[list[Row]]:
    """Stretches in which rows look tabular, with at most two short ones between."""
    runs: list[list[Row]] = []
    run: list[Row] = []
    waiting: list[Row] = []

    def close() -> None:
        if waiting and len(run) > 1:  # the last row's text may go on beneath it
            usual = float(np.median([b.level - a.level for a, b in pairwise(run)]))
            if waiting[0].level - run[-1].level < WRAPPED * usual:
                run.append(waiting[0])
        runs.append(run)

    for row in rows:
        last = (waiting or run)[-1] if (waiting or run) else None
        if last is not None and row.level - last.level > FARTHEST_ROW * max(row.height, last.height):
            close()
            run, waiting = [], []
        if row.tabular:
            box = union(r.box for r in (*run, row))
            run += [*(w for w in waiting if w.box.left < box.right and w.box.right > box.left), row]
            waiting = []
        elif run:
            width = union(r.box for r in run).width
            waiting.append(row)
            if len(waiting) > 2 or row.box.width > 0.7 * width:
                close()
                run, waiting = [], []
    close()
    return [r for r in map(_without_prose, runs) if len(r) >= LEAST_ROWS]


def _without_prose(run: list[Row]) -> list[Row]:
    """The rows without a sentence before them that lists figures, and its last line: where rows are parted, it is not."""
    parted = [i for i, row in enumerate(run) if row.parted]
    if len(parted) < 2 or parted[0] == 0:
        return run
    worded = sum(not is_number(w.text) for w in run[0].words)
    return run[parted[0] :] if worded >= PROSE_WORDS else run


def _table(run: Sequence[Row], across: Sequence[Box], boxes: Sequence[Box]) -> FoundTable | None:
    edges = _separators(run)
    if not edges:
        return None
    run = _wrapped_joined(run, edges)
    box = union(row.box for row in run)
    cells = _cells(run, edges, box)
    columns = len(edges) + 1
    ruled = sum(min(r.right, box.right) - max(r.left, box.left) > 0.7 * box.width for r in across if _near(r, box, run))
    told = any(b.covers(box, 0.6) for b in boxes)
    if not _is_table(cells, len(run), columns, ruled > 1 or told):
        return None
    return FoundTable(box, 1 + max(c.row for c, _ in cells), columns, tuple(c for c, _ in cells))


def _wrapped_joined(run: Sequence[Row], edges: Sequence[float]) -> list[Row]:
    """The rows, with a line that only goes on with some of a row's cells joined to it.

    Such a line has no figures, but in the first column, and stands nearer to its row than rows stand to each other.
    That of a head may also stand above it, where the other heads begin lower.
    """
    run = _names_joined(run, edges)
    pitch = [b.level - a.level for a, b in pairwise(run)]
    held = [{int(np.searchsorted(edges, w.box.centre.x)) for w in row.words} for row in run]
    worded = [not any(is_number(w.text) for w in row.words) for row in run]
    goes_on = [False, *(b < a and text for a, b, text in zip(held, held[1:], worded[1:], strict=False))]
    alone = [each == {0} for each in held]
    between = [p for i, p in enumerate(pitch) if not (goes_on[i] or goes_on[i + 1] or alone[i] or alone[i + 1])]
    if not between:
        return list(run)
    near = WRAPPED * float(np.median(between))
    joined: list[Row] = [run[0]]
    columns = held[0]
    for i in range(1, len(run)):
        row = run[i]
        begins = i == 1 and worded[0] and len(held[0]) > 1 and held[0] < held[1]
        names = alone[i] and not alone[i - 1]  # which may have figures
        if pitch[i - 1] < near and (names or (worded[i] and (held[i] < columns or begins))):
            joined[-1] = _of_two_lines(joined[-1], row)
            columns = columns | held[i]
        else:
            joined.append(row)
            columns = held[i]
    return joined


def _names_joined(run: Sequence[Row], edges: Sequence[float]) -> list[Row]:
    """The rows, those whose name begins in a small letter joined to the lines of it that stand right above, alone."""
    joined: list[Row] = []
    for row in run:
        first, above = row.words[0], joined[-1] if joined else None
        goes_on = first.box.left < edges[0] and first.text[0].islower()
        if above is not None and goes_on and above.box.right < edges[0] and row.top - above.bottom < CLOSE * row.height:
            joined[-1] = _of_two_lines(above, row)
        else:
            joined.append(row)
    return joined


def _of_two_lines(row: Row, line: Row) -> Row:
    words = sorted((*row.words, *line.words), key=lambda w: w.box.left)
    return row._replace(words=tuple(words), lines=(*(row.lines or (row.words,)), line.words))


def _near(rule: Box, box: Box, run: Sequence[Row]) -> bool:
    reach = 1.5 * run[0].height
    return box.top - reach < rule.centre.y < box.bottom + reach


def _separators(run: Sequence[Row]) -> list[float]:
    """Middles of the white stretches between columns."""
    box = union(row.box for row in run)
    height = float(np.median([row.height for row in run]))
    step = max(1.0, height / 12)
    crossed = np.zeros(int(box.width / step) + 2)
    for row in run:
        inked = np.zeros(len(crossed), bool)
        for word in row.words:
            inked[int((word.box.left - box.left) / step) : int((word.box.right - box.left) / step) + 1] = True
        crossed += inked
    wide = sum(row.box.width > 0.5 * box.width for row in run)  # names that stand beneath each other cross nothing
    few = crossed <= max(1 if wide > 3 else 0, MOST_CROSSED * len(run))
    least = (NARROW_GAP if len(run) >= MANY_ROWS else WIDE_GAP) * height / step
    runs = np.flatnonzero(np.diff(np.r_[0, few.astype(np.int8), 0]))
    found = []
    for start, end in zip(runs[::2], runs[1::2], strict=True):
        inner = start > 0 and end < len(crossed) - 1
        if inner and end - start >= least:
            found.append(box.left + (start + _clearest(crossed[start:end]) + 0.5) * step)
    return [
        x
        for x in found
        if any(w.box.right <= x for r in run for w in r.words) and any(w.box.left >= x for r in run for w in r.words)
    ]


def _clearest(crossed: NDArray[np.float64]) -> float:
    """The middle of the widest stretch that fewest rows cross."""
    clear = np.flatnonzero(crossed == crossed.min())
    return float(max(np.split(clear, np.flatnonzero(np.diff(clear) > 1) + 1), key=len).mean())


def _cells(run: Sequence[Row], edges: Sequence[float], box: Box) -> list[tuple[FoundCell, tuple[FoundWord, ...]]]:
    """Cells with their words; one that stands across columns spans them."""
    xs = [box.left, *(round(x) for x in edges), box.right + 1]
    ys = [box.top, *_middles(run), box.bottom + 1]
    cells = []
    for r, row in enumerate(run):
        at: list[tuple[int, int, FoundWord]] = []
        for word in row.words:
            first = int(np.searchsorted(edges, word.box.left + 0.3 * row.height))
            last = max(first, int(np.searchsorted(edges, word.box.right - 0.3 * row.height)))
            at.append((first, last, word))
        groups: list[list[tuple[int, int, FoundWord]]] = []
        for each in at:
            if groups and (each[0] <= groups[-1][-1][1] or _continues(groups[-1][-1], each, row)):
                groups[-1].append(each)
            else:
                groups.append([each])
        taken = {c for g in groups for c in range(g[0][0], max(e[1] for e in g) + 1)}
        for group in groups:
            first, last = group[0][0], max(e[1] for e in group)
            place = FoundCell(r, first, 1, last - first + 1, Box(xs[first], ys[r], xs[last + 1], ys[r + 1]))
            cells.append((place, tuple(e[2] for e in group)))
        for c in range(len(edges) + 1):
            if c not in taken:
                cells.append((FoundCell(r, c, 1, 1, Box(xs[c], ys[r], xs[c + 1], ys[r + 1])), ()))
    return _with_spanning_head(sorted(cells, key=lambda each: (each[0].row, each[0].column)))


def _with_spanning_head(
    cells: list[tuple[FoundCell, tuple[FoundWord, ...]]],
) -> list[tuple[FoundCell, tuple[FoundWord, ...]]]:
    """The cells, with those of a first row that stands over several columns of the second spanning them."""
    head = [c for c in cells if c[0].row == 0]
    below = {c.column for c, words in cells if c.row == 1 and words}
    filled = [c for c in head if c[1] and c[0].column > 0]
    empty = [c for c in head if not c[1] and c[0].column > 0 and c[0].column in below]
    if not filled or not empty or len(filled) + len(empty) < len(below - {0}):
        return cells
    reach = {id(c): [c[0].column, c[0].column + c[0].column_span - 1] for c in filled}
    for each in empty:
        x = each[0].box.centre.x
        nearest = min(filled, key=lambda c: abs(union(w.box for w in c[1]).centre.x - x))
        span = reach[id(nearest)]
        span[0], span[1] = min(span[0], each[0].column), max(span[1], each[0].column)
    if sum(b - a + 1 for a, b in reach.values()) != len(empty) + sum(c[0].column_span for c in filled):
        return cells
    lefts = {c.column: c.box.left for c, _ in head}
    rights = {c.column + c.column_span - 1: c.box.right for c, _ in head}
    spanned = []
    for cell, words in filled:
        first, last = reach[next(id(c) for c in filled if c[0] is cell)]
        box = Box(lefts[first], cell.box.top, rights[last], cell.box.bottom)
        spanned.append((cell._replace(column=first, column_span=last - first + 1, box=box), words))
    others = [c for c in cells if c not in filled and c not in empty]
    return sorted([*others, *spanned], key=lambda each: (each[0].row, each[0].column))


def _continues(before: tuple[int, int, FoundWord], word: tuple[int, int, FoundWord], row: Row) -> bool:
    """Whether a word goes on with the one before across a separator: a heading over several columns."""
    if is_number(before[2].text) and is_number(word[2].text):
        return False
    return word[2].box.left - before[2].box.right < 0.45 * row.height


def _is_table(
    cells: Sequence[tuple[FoundCell, tuple[FoundWord, ...]]], rows: int, columns: int, witnessed: bool
) -> bool:
    per_column: list[list[tuple[FoundWord, ...]]] = [[] for _ in range(columns)]
    for cell, words in cells:
        if words and cell.column_span == 1:
            per_column[cell.column].append(words)
    if any(not column for column in per_column):
        return False
    length = [float(np.mean([len(w) for w in column])) for column in per_column]
    numeric = [float(np.mean([is_number("".join(w.text for w in words)) for words in column])) for column in per_column]
    filled = [len(column) / rows for column in per_column]
    if sum(map(_runs_on, per_column)) > 1:
        return False
    texty = sum(n > 4.5 for n in length)
    if texty > 1 or (texty and columns == 2 and numeric[1] < 0.5):
        return False
    if columns == 2 and all(_LIST.match(w[0].text) and len(w) == 1 for w in per_column[0]):
        return False
    if columns <= 3 and numeric[-1] > 0.7 and _is_contents(per_column[-1], per_column[-2]):
        return False
    figures = any(n > 0.6 and f > 0.5 for n, f in zip(numeric[1:], filled[1:], strict=True))
    if figures and rows >= (LEAST_ROWS if columns < MANY_COLUMNS else 2):
        return True
    if witnessed:
        return rows >= 2 and float(np.mean(length)) <= 6
    return columns > 2 and rows > 3 and max(length[1:]) <= CELL_WORDS and float(np.mean(filled)) > 0.6


def _runs_on(lines: Sequence[tuple[FoundWord, ...]]) -> bool:
    """Whether a column's cells are the lines of running text, which fill it and mostly begin within a sentence."""
    if len(lines) < LEAST_RUNNING or sum(map(len, lines)) < LINE_WORDS * len(lines):
        return False
    boxes = [union(w.box for w in words) for words in lines]
    width = max(box.right for box in boxes) - min(box.left for box in boxes)
    full = sum(box.width > FILLS * width for box in boxes)
    within = sum(words[0].text[:1].isalpha() and not words[0].text[:1].isupper() for words in lines)
    return full > MOSTLY_FULL * len(lines) and within > 0.5 * len(lines)


def _is_contents(numbers: Sequence[tuple[FoundWord, ...]], titles: Sequence[tuple[FoundWord, ...]]) -> bool:
    """Whether a last column of whole numbers only rises, beside words: page numbers."""
    values: list[int] = []
    for words in numbers:
        number = page_number("".join(w.text for w in words))
        if number is None:
            return False
        values.append(number)
    worded = float(np.mean([any(c.isalpha() for w in words for c in w.text) for words in titles]))
    rising = sum(b >= a for a, b in pairwise(values))
    return worded > 0.8 and len(values) > 2 and rising >= 0.85 * (len(values) - 1)
