/** The same numbers from 0 to 1 for the same seed (Lehmer 1951), so that grain does not flicker. */
export function lehmer(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 48271) % 2147483647;
    return state / 2147483647;
  };
}
