// What paint will add to the mesh.

/** More new triangles than this are asked about before they are made. */
export const MANY_NEW = 20_000;

/** Whether faces are cut, or the paint goes on as the mesh is, or neither. */
export type AheadAnswer = "cut" | "plain" | null;

/** What is asked before many triangles are made, or where a stroke has made as many as it may unasked. */
export interface AskedAhead {
  triangles: number;
  /** What makes them: a fill's paint can go on without. */
  by: "fill" | "dab" | "stroke so far";
  answer: (given: AheadAnswer) => void;
}
