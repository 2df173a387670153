/** A number with its noun: "1 page", "3 pages". */
export function counted(count: number, noun: string): string {
  return `${count} ${noun}${count === 1 ? '' : 's'}`;
}

const COUNTED = 99; // places of a word

/** How many places say a word; beyond so many they are not counted. */
export const manyOf = (places: number): string => (places < COUNTED ? `${places}` : `${COUNTED} or more`);

/** A misreading and what was meant without the marks around them that both have: "tbe," and "the," are "tbe" and "the". */
export function bared(read: string, meant: string): { read: string; meant: string } {
  const mark = (c: string | undefined) => c !== undefined && !/[\p{L}\p{N}]/u.test(c);
  while (read.length > 1 && meant.length > 1 && mark(read[0]) && read[0] === meant[0]) [read, meant] = [read.slice(1), meant.slice(1)];
  while (read.length > 1 && meant.length > 1 && mark(read.at(-1)) && read.at(-1) === meant.at(-1)) [read, meant] = [read.slice(0, -1), meant.slice(0, -1)];
  return { read, meant };
}

/** Pages by their positions, runs joined: "pages 1–3, 7". */
export function pageRuns(positions: number[]): string {
  const runs: [number, number][] = [];
  for (const at of positions) {
    const last = runs.at(-1);
    if (last && at === last[1] + 1) last[1] = at;
    else runs.push([at, at]);
  }
  const told = runs.slice(0, 4).map(([a, b]) => (a === b ? `${a + 1}` : `${a + 1}–${b + 1}`));
  const more = runs.slice(4).reduce((n, [a, b]) => n + b - a + 1, 0);
  return `${positions.length === 1 ? 'page' : 'pages'} ${told.join(', ')}${more ? ` and ${more} more` : ''}`;
}

/** A doubt's reason; where it stands for several pages, with them. */
export function reasonOf(doubt: { reason: string; pages: number[] }): string {
  if (doubt.pages.length < 2) return doubt.reason;
  const pages = pageRuns(doubt.pages);
  return `${pages[0]!.toUpperCase()}${pages.slice(1)}: ${doubt.reason}`;
}

/** Where two readings differ: their common beginning, what each says then, their common end. */
export function apart(one: string, other: string): { start: string; here: string; there: string; end: string } {
  let from = 0;
  while (from < Math.min(one.length, other.length) && one[from] === other[from]) from++;
  let to = 0;
  while (to < Math.min(one.length, other.length) - from && one[one.length - 1 - to] === other[other.length - 1 - to]) to++;
  return { start: one.slice(0, from), here: one.slice(from, one.length - to), there: other.slice(from, other.length - to), end: to ? one.slice(-to) : '' };
}

/** A word's letters by how they are set, as runs. */
export function runsOf(text: string, style: string[], parts: readonly (readonly [number, number, string])[]): { text: string; style: string[] }[] {
  const runs: { text: string; style: string[] }[] = [];
  let at = 0;
  for (const [start, end, of] of parts) {
    if (at < start) runs.push({ text: text.slice(at, start), style });
    runs.push({ text: text.slice(start, end), style: [...style, of] });
    at = end;
  }
  if (at < text.length) runs.push({ text: text.slice(at), style });
  return runs;
}
