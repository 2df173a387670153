/** Whether a key press belongs to a field or an open dialog rather than to the bench. */
export function typing(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  if (!target) return false;
  if (target.closest('[role="dialog"], dialog')) return true;
  // A switch or slider keeps the keys that move it; the others go on to the bench.
  if (target instanceof HTMLInputElement && /^(radio|checkbox|range)$/.test(target.type)) return /^(Arrow|Home|End|Page| $)/.test(event.key);
  return /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.isContentEditable;
}

/** A value kept in the browser between visits. */
export function remembered(name: string, fallback: string): string {
  try {
    return localStorage.getItem(`hyalen.${name}`) ?? fallback;
  } catch {
    return fallback;
  }
}

export function remember(name: string, value: string): void {
  try {
    localStorage.setItem(`hyalen.${name}`, value);
  } catch {
    // A browser that keeps nothing still works; it only forgets.
  }
}
