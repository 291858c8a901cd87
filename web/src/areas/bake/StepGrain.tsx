// What a step makes by itself, as a scatter of the part's points seen from the front.
import { useEffect, useRef } from "react";
import { Vector3 } from "three";
import type { Schemas } from "../../api/client";
import type { Project } from "../../project/project";
import { useApp, type Tastes } from "../../model/state";

const WIDTH = 50;
const HEIGHT = 40;
const GRAIN = 1.7;
const GROUND = "#2A2933";

/** Where the sampled elements are in the picture, the nearest last. */
interface Spread {
  places: Float32Array;
  order: Uint32Array;
}

const spreads = new WeakMap<readonly number[], Spread | null>();

function spreadOf(project: Project, { part, set, elements }: Tastes, up: Schemas["UpAxis"]): Spread | null {
  const known = spreads.get(elements);
  if (known) return known;
  const surface = project.stage.surfaces.get(part);
  if (!surface?.has(set)) return null;
  const point = new Vector3();
  const places = new Float32Array(2 * elements.length);
  const depth = new Float32Array(elements.length);
  const box = [Infinity, -Infinity, Infinity, -Infinity] as [number, number, number, number];
  elements.forEach((element, i) => {
    surface.place(set, element, point);
    // A little from above and from the side, so that tops and flanks tell apart.
    const [height, away] = up === "y" ? [point.y, -point.z] : [point.z, point.y];
    const x = point.x * 0.94 - away * 0.34;
    const back = point.x * 0.34 + away * 0.94;
    const y = height * 0.92 + back * 0.39;
    places[2 * i] = x;
    places[2 * i + 1] = y;
    depth[i] = back * 0.92 - height * 0.39;
    box[0] = Math.min(box[0], x);
    box[1] = Math.max(box[1], x);
    box[2] = Math.min(box[2], y);
    box[3] = Math.max(box[3], y);
  });
  const scale = Math.min((WIDTH - 4) / Math.max(box[1] - box[0], 1e-9), (HEIGHT - 4) / Math.max(box[3] - box[2], 1e-9));
  elements.forEach((_, i) => {
    places[2 * i] = WIDTH / 2 + ((places[2 * i] ?? 0) - (box[0] + box[1]) / 2) * scale;
    places[2 * i + 1] = HEIGHT / 2 - ((places[2 * i + 1] ?? 0) - (box[2] + box[3]) / 2) * scale;
  });
  const order = Uint32Array.from(elements.keys()).sort((a, b) => (depth[b] ?? 0) - (depth[a] ?? 0));
  const spread = { places, order };
  spreads.set(elements, spread);
  return spread;
}

export function StepGrain({
  project,
  tastes,
  step,
  off,
  label,
}: {
  project: Project;
  tastes: Tastes | undefined;
  step: number;
  off: boolean;
  label: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const up = useApp((state) => state.traits.up);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!canvas.current || !context) return;
    const scale = Math.min(2, window.devicePixelRatio) * 1.5;
    canvas.current.width = WIDTH * scale;
    canvas.current.height = HEIGHT * scale;
    context.scale(scale, scale);
    context.fillStyle = GROUND;
    context.fillRect(0, 0, WIDTH, HEIGHT);
    const taste = tastes?.steps[step];
    const spread = tastes && taste ? spreadOf(project, tastes, up) : null;
    if (!taste || !spread) return;
    const { values, is_color: isColor } = taste;
    for (const i of spread.order) {
      const at = isColor ? 3 * i : i;
      const [r = 0, g = r, b = r] = isColor ? [values[at], values[at + 1], values[at + 2]] : [values[at]];
      // Dark grains stay a little lighter than the ground, so that the shape is seen.
      const seen = (x: number) => Math.round(58 + (x / 255) * 197);
      context.fillStyle = `rgb(${seen(r)} ${seen(g)} ${seen(b)})`;
      context.fillRect(
        (spread.places[2 * i] ?? 0) - GRAIN / 2,
        (spread.places[2 * i + 1] ?? 0) - GRAIN / 2,
        GRAIN,
        GRAIN,
      );
    }
  }, [project, tastes, step, up]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={label}
      data-test="step-grain"
      style={{
        width: WIDTH,
        height: HEIGHT,
        borderRadius: 8,
        display: "block",
        flexShrink: 0,
        opacity: off ? 0.35 : 1,
      }}
    />
  );
}
