import type { Region } from '../api/client';

type Table = NonNullable<Region['table']>;
type Cell = Table['cells'][number];
interface Block { row: number; column: number; row_span: number; column_span: number }

const spans = (c: Cell) => ({ down: c.row_span ?? 1, across: c.column_span ?? 1 });
const holds = (c: Cell, row: number, column: number) => c.row <= row && row < c.row + spans(c).down && c.column <= column && column < c.column + spans(c).across;

/** The cell of a table that is in hand, and the block of cells that is marked. */
export class Tables {
  region = $state<string | null>(null);
  row = $state(0);
  column = $state(0);
  private from = $state<[number, number]>([0, 0]);

  take(region: Region): void {
    if (region.id !== this.region) this.go(0, region.table?.backwards ? region.table.columns - 1 : 0);
    this.region = region.id;
  }

  go(row: number, column: number, extend = false): void {
    this.row = row;
    this.column = column;
    if (!extend) this.from = [row, column];
  }

  cell(table: Table): Cell | undefined {
    return table.cells.find((c) => holds(c, this.row, this.column)) ?? table.cells[0];
  }

  /** The places from where marking began to the one in hand. */
  get marked(): Block {
    const [row, column] = [Math.min(this.row, this.from[0]), Math.min(this.column, this.from[1])];
    return { row, column, row_span: Math.abs(this.row - this.from[0]) + 1, column_span: Math.abs(this.column - this.from[1]) + 1 };
  }

  /** A cell on, over those that span several places. */
  step(table: Table, down: number, across: number, extend = false): void {
    const now = this.cell(table);
    if (!now) return;
    const row = down > 0 ? now.row + spans(now).down : down < 0 ? now.row - 1 : this.row;
    const column = across > 0 ? now.column + spans(now).across : across < 0 ? now.column - 1 : this.column;
    this.go(Math.min(Math.max(0, row), table.rows - 1), Math.min(Math.max(0, column), table.columns - 1), extend);
  }

  /** The next cell row by row; false at the table's end. */
  follow(table: Table, by: 1 | -1): boolean {
    const now = this.cell(table);
    const next = now && table.cells[table.cells.indexOf(now) + by];
    if (!next) return false;
    this.go(next.row, next.column);
    return true;
  }
}

export const tables = new Tables();
