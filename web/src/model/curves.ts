// Curves as they are drawn under a moving pointer. The server reckons with curves of its own, in the
// core: a test holds these against what that makes.
import type { Schemas } from "../api/client";
import type { Curve } from "./choices";

type Point = Schemas["CurvePoint"];

/** How a brush falls off from its hard middle (1) to its rim (0). */
export const falloffs: Record<Schemas["Falloff"], (t: number) => number> = {
  soft: (t) => t * t * (3 - 2 * t),
  straight: (t) => t,
  dome: (t) => Math.sqrt(t * (2 - t)),
  spike: (t) => 1 - Math.sqrt(1 - t * t),
};

/** The height of a curve of five above a place. */
export const curveAt = (heights: Curve, x: number) =>
  through(
    heights.map((y, i) => ({ x: i / 4, y, corner: false })),
    x,
  );

/** The height above a place, as the server reckons it (monotone cubic, Fritsch and Carlson 1980). */
export function through(points: readonly Point[], x: number): number {
  const first = points[0];
  const last = points.at(-1);
  if (!first || !last) return x;
  if (x <= first.x) return first.y;
  if (x >= last.x) return last.y;
  const i = points.findIndex((point) => point.x > x) - 1;
  const at = (k: number): Point => points[k] ?? last;
  const rise = (k: number) => (at(k + 1).y - at(k).y) / (at(k + 1).x - at(k).x);
  const slope = (k: number, stretch: number) => {
    if (at(k).corner || k === 0 || k + 1 === points.length) return rise(stretch);
    const [before, after] = [rise(k - 1), rise(k)];
    return before * after <= 0 ? 0 : (2 * before * after) / (before + after);
  };
  const [a, b] = [at(i), at(i + 1)];
  const width = b.x - a.x;
  const t = (x - a.x) / width;
  const [t2, t3] = [t * t, t * t * t];
  const limit = 3 * Math.abs(rise(i));
  const within = (s: number) => Math.min(limit, Math.max(-limit, s));
  const height =
    (2 * t3 - 3 * t2 + 1) * a.y +
    (t3 - 2 * t2 + t) * width * within(slope(i, i)) +
    (3 * t2 - 2 * t3) * b.y +
    (t3 - t2) * width * within(slope(i + 1, i));
  return Math.min(Math.max(a.y, b.y), Math.max(Math.min(a.y, b.y), height));
}

/** Two encoded colors mixed as light: red, green, blue. */
export function mixed(a: readonly number[], b: readonly number[], share: number): number[] {
  const linear = (c: number) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4);
  const encoded = (c: number) => (c <= 0.0031308 ? c * 12.92 : 1.055 * c ** (1 / 2.4) - 0.055);
  return [0, 1, 2].map((i) => encoded(linear(a[i] ?? 0) + (linear(b[i] ?? 0) - linear(a[i] ?? 0)) * share));
}
