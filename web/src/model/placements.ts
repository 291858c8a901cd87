/** What values belong to, as it is said. */
export const placementWords = { vertex: "per vertex", corner: "per corner", face: "per face" } as const;
