/** An action that is done once, when it has not been asked for again for a while. */
export function later(wait: number, action: () => void): (sooner?: number) => void {
  let timer: ReturnType<typeof setTimeout> | null = null;
  return (sooner = wait) => {
    if (timer) clearTimeout(timer);
    timer = setTimeout(action, sooner);
  };
}
