let last: Promise<void> = Promise.resolve();

/**
 * Comes to its turn in a round of the event loop of its own: of many that came at once each is gone on with after the others have been looked at,
 * so that whoever asks something small meanwhile waits for one of them and not for all.
 */
export function ownRound(): Promise<void> {
  last = last.then(() => new Promise((go) => setImmediate(go)));
  return last;
}
