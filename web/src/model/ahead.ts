// What paint will add to the mesh.

/** More new triangles than this are asked about before they are made. */
export const MANY_NEW = 20_000;

/** Whether faces are cut, or the paint goes on as the mesh is, or neither. */
export type AheadAnswer = "cut" | "plain" | null;

/** What is asked before many triangles are made. */
export interface AskedAhead {
  triangles: number;
  /** Whether the paint can go on without. */
  canBePlain: boolean;
  answer: (given: AheadAnswer) => void;
}
