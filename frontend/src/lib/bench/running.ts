/** The running order of a bundle: entries with their depths, of which sections hold what is deeper. */
export interface Placed { id: number; depth: number; section: boolean }

/** An entry with what lies within it: its place, and the place of the last. */
export function reach(entries: Placed[], at: number): [number, number] {
  const own = entries[at];
  if (!own) return [at, at];
  let end = at;
  if (own.section) while (end + 1 < entries.length && entries[end + 1]!.depth > own.depth) end++;
  return [at, end];
}

/**
 * The order after entries that follow each other have gone before the one that stands at `gap` now, or to the end. They
 * are as deep as told, or as what they come behind; null where nothing changes.
 */
export function within(entries: Placed[], [first, end]: [number, number], gap: number, depth?: number): { id: number; depth: number }[] | null {
  const moved = entries.slice(first, end + 1);
  const own = moved[0];
  if (!own || gap < 0 || gap > entries.length) return null;
  const rest = [...entries.slice(0, first), ...entries.slice(end + 1)];
  const at = gap <= first ? gap : Math.max(first, gap - moved.length);
  const before = rest[at - 1];
  const natural = own.section || !before ? 0 : before.section ? before.depth + 1 : before.depth;
  const shift = Math.max(0, Math.min(depth ?? (at === first ? own.depth : natural), before ? before.depth + 1 : 0)) - own.depth;
  const bare = ({ id, depth: d }: Placed) => ({ id, depth: d });
  const order = [...rest.slice(0, at).map(bare), ...moved.map((e) => ({ id: e.id, depth: Math.max(0, e.depth + shift) })), ...rest.slice(at).map(bare)];
  return order.every((e, i) => e.id === entries[i]!.id && e.depth === entries[i]!.depth) ? null : order;
}
