let queue: Promise<unknown> = Promise.resolve();

/** What is sent to the server waits for what was sent before. */
export function inTurn<T>(action: () => Promise<T>): Promise<T> {
  const task = queue.then(action);
  queue = task.catch(() => undefined);
  return task;
}
