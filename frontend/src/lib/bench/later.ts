/** An action that is done once, when it has not been asked for again for a while. */
export function later(wait: number, action: () => void): (sooner?: number) => void {
  let timer: ReturnType<typeof setTimeout> | null = null;
  return (sooner = wait) => {
    if (timer) clearTimeout(timer);
    timer = setTimeout(action, sooner);
  };
}

const LONGEST = 80; // milliseconds: a tab that is not seen paints nothing

/** An action that waits until what is changed now has been painted; what is returned calls it off. */
export function afterPaint(action: () => void): () => void {
  let timer = setTimeout(action, LONGEST);
  const frame = requestAnimationFrame(() => {
    clearTimeout(timer);
    timer = setTimeout(action);
  });
  return () => {
    cancelAnimationFrame(frame);
    clearTimeout(timer);
  };
}

/** An action that measures or scrolls, once what is changed now is laid out for painting; what is returned calls it off. */
export function beforePaint(action: () => void): () => void {
  const frame = requestAnimationFrame(action);
  return () => cancelAnimationFrame(frame);
}

export const painted = () => new Promise<void>((done) => afterPaint(done));
