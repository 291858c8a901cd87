// A channel's histogram, drawn as fine grain: a column of speckles for each step of 0–1.
import { useEffect, useRef } from "react";
import { lehmer } from "../model/random";

const HEIGHT = 30;
/** Lifts small columns, so that a few painted elements among many are seen. */
const LIFT = 0.4;

/** `share`: how much of it is there yet, 0–1; it fills in dot by dot. */
export function Grain({
  bins,
  ink,
  label,
  share = 1,
}: {
  bins: readonly number[] | undefined;
  ink: string;
  label: string;
  share?: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const element = canvas.current;
    const context = element?.getContext("2d");
    if (!element || !context || !bins) return;
    const scale = Math.min(2, window.devicePixelRatio);
    const width = element.clientWidth;
    element.width = width * scale;
    element.height = HEIGHT * scale;
    context.scale(scale, scale);
    context.fillStyle = ink;
    context.globalAlpha = 0.35;
    context.fillRect(0, HEIGHT - 1, width, 1);
    context.globalAlpha = 0.9;
    const most = Math.max(1, ...bins);
    const random = lehmer(48271);
    bins.forEach((held, i) => {
      if (held === 0) return;
      const height = Math.max(2, (held / most) ** LIFT * (HEIGHT - 3));
      const left = (i / bins.length) * width;
      const step = width / bins.length;
      for (let grain = 0; grain < height * 2.2; grain++) {
        const [x, y] = [left + random() * step, HEIGHT - 2 - random() ** 1.15 * height];
        // The others stand there faintly: what was made before.
        context.globalAlpha = random() < share ? 0.9 : 0.2;
        context.fillRect(x, y, 1.1, 1.1);
      }
    });
  }, [bins, ink, share]);
  return (
    <canvas ref={canvas} role="img" aria-label={label} style={{ width: "100%", height: HEIGHT, display: "block" }} />
  );
}
