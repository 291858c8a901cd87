// What the server tells when a connection begins, as it is before that.
import type { Schemas } from "../api/client";

/** Until the server has told, nothing bounds anything. */
export const NOTHING_TOLD: Schemas["Facts"] = {
  limits: {
    sets: Infinity,
    helpers: Infinity,
    swatches: Infinity,
    views: Infinity,
    layer_ranges: Infinity,
    images: Infinity,
    steps: Infinity,
    curve_points: Infinity,
    ramp_stops: Infinity,
    scales: Infinity,
    lamps: Infinity,
    line_points: Infinity,
    spools: Infinity,
  },
  merges: { first: "replace", hand_paint: "replace", data: "replace", color: "replace", mix_strength: 1, strength: 1 },
  sources: [],
};
