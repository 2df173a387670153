import type { Line, PageContent, Region, Word } from '../api/client';

export function linesOf(region: Region): Line[] {
  return region.table ? region.table.cells.flatMap((cell) => cell.lines ?? []) : (region.lines ?? []);
}

export function boxOf(region: Region): [number, number, number, number] {
  const xs = region.outline.map((p) => p[0] as number);
  const ys = region.outline.map((p) => p[1] as number);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** What another reading of a word's ink says, where it says something else. */
export const readAgain = (word: { text: string; second?: string | null; recognised?: string | null }) => [word.recognised, word.second].find((told) => told && told !== word.text);

export const textOf = (region: Region) => linesOf(region).map((line) => line.words.map((w) => w.text).join(' ')).join('\n');

const all = (content: PageContent) => [...(content.regions ?? []), ...(content.artifacts ?? [])];

export function findRegion(content: PageContent | null | undefined, id: string | null): Region | null {
  return (content && id && all(content).find((r) => r.id === id)) || null;
}

/** The word at a place in a region's text as it runs. */
export function wordAt(region: Region, text: string, offset: number): Word | null {
  let at = 0, found: Word | null = null;
  for (const word of linesOf(region).flatMap((l) => l.words)) {
    const whole = text.indexOf(word.text, at);
    const told = whole >= 0 && whole <= at + 2 ? word.text : word.text.slice(0, -1);
    const from = text.indexOf(told, at);
    if (from < 0) continue;
    found = word;
    at = from + told.length;
    if (offset <= at) return word;
  }
  return found;
}

export function findWord(content: PageContent | null | undefined, id: string | null): { region: Region; line: number; word: Word } | null {
  if (!content || !id) return null;
  for (const region of all(content)) {
    const lines = linesOf(region);
    for (let line = 0; line < lines.length; line++) {
      const word = lines[line]?.words.find((w) => w.id === id);
      if (word) return { region, line, word };
    }
  }
  return null;
}
