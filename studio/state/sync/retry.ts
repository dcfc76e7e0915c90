const REST_MS = [300, 600, 1200, 2500, 5000];

/** The pause before something is tried again, longer each time. */
export const restFor = (tries: number): Promise<void> => new Promise((wake) => setTimeout(wake, REST_MS[Math.min(tries, REST_MS.length - 1)]));
