import type { Line, PageContent, Region, Word } from '../api/client';

export function linesOf(region: Region): Line[] {
  return region.table ? region.table.cells.flatMap((cell) => cell.lines ?? []) : (region.lines ?? []);
}

export function boxOf(region: Region): [number, number, number, number] {
  const xs = region.outline.map((p) => p[0] as number);
  const ys = region.outline.map((p) => p[1] as number);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

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

/** What a caption explains: what a person has tied it to, else the nearest picture or table. */
export function explained(content: PageContent | null, caption: Region): Region | null {
  const others = (content?.regions ?? []).filter((r) => r.kind !== 'text');
  if (caption.captions === '') return null;
  if (caption.captions) return others.find((r) => r.id === caption.captions) ?? null;
  const [l, t, r, b] = boxOf(caption);
  const away = (o: Region) => {
    const [ol, ot, or, ob] = boxOf(o);
    return Math.max(0, ot - b, t - ob) + Math.max(0, ol - r, l - or);
  };
  const near = others.filter((o) => away(o) < 0.6 * (content?.dpi ?? 300)).sort((a, c) => away(a) - away(c));
  return near[0] ?? null;
}
