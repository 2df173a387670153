/** Do to a field what a key does there: one that a script sends does nothing by itself. */
export function typeInto(field: HTMLInputElement, key: KeyboardEvent): void {
  if (key.ctrlKey || key.metaKey || key.altKey) return;
  const start = field.selectionStart ?? 0, end = field.selectionEnd ?? 0;
  const written = (text: string, from: number, to: number) => {
    field.setRangeText(text, from, to);
    field.setSelectionRange(from + text.length, from + text.length);
    field.dispatchEvent(new Event('input', { bubbles: true }));
  };
  if (key.key.length === 1) written(key.key, start, end);
  else if (key.key === 'Backspace' && end > 0) written('', start === end ? start - 1 : start, end);
  else if (key.key === 'Delete' && start < field.value.length) written('', start, start === end ? end + 1 : end);
  else if (/^(Home|End|ArrowLeft|ArrowRight)$/.test(key.key)) moveCaret(field, key, start, end);
}

function moveCaret(field: HTMLInputElement, key: KeyboardEvent, start: number, end: number): void {
  const anchor = field.selectionDirection === 'backward' ? end : start;
  const head = field.selectionDirection === 'backward' ? start : end;
  const forwards = (key.key === 'ArrowRight') !== (getComputedStyle(field).direction === 'rtl');
  const ends = key.key === 'Home' || key.key === 'End';
  let to = key.key === 'Home' ? 0 : key.key === 'End' ? field.value.length : head + (forwards ? 1 : -1);
  if (!ends && !key.shiftKey && start !== end) to = forwards ? end : start; // a selection collapses first
  to = Math.min(Math.max(to, 0), field.value.length);
  if (key.shiftKey) field.setSelectionRange(Math.min(anchor, to), Math.max(anchor, to), to < anchor ? 'backward' : 'forward');
  else field.setSelectionRange(to, to);
}
