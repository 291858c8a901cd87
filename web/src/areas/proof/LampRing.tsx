// Lamps where they stand about the model, each on a ring of its height; dragged to where they shall stand.
import { Box } from "@mui/material";
import { useEffect, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Schemas } from "../../api/client";
import { wearableLook } from "../../model/proof";
import { get, useApp } from "../../model/state";
import { hex } from "../../model/words";
import type { Project } from "../../project/project";
import { directionOf } from "../../stage/lookMaterial";
import { turnLights } from "./lookInHand";

type Lamp = Schemas["ProofLamp"];

/** Degrees between the points that a ring is drawn through. */
const STEP = 6;

const DOT = 18;

/** Degrees that a key moves a lamp by. */
const BY_KEY = 5;

const around = (turn: number) => ((((turn + 180) % 360) + 360) % 360) - 180;
const held = (height: number) => Math.min(90, Math.max(-90, height));

export function LampRing({ project }: { project: Project | null }) {
  const lights = useApp((state) => state.proofing.lights ?? state.proof.lights);
  const isWorn = useApp((state) => !state.proofing.bare && wearableLook(state) !== null);
  const up = useApp((state) => state.traits.up);
  const [drawn, setDrawn] = useState(0);
  const stage = project?.stage;
  // The rings stand still in the project, and so move over the page with every turn of the eye.
  useEffect(() => {
    if (isWorn) return stage?.whenDrawn(() => setDrawn((count) => count + 1));
  }, [stage, isWorn]);
  const [inHand, setInHand] = useState<number | null>(null);
  if (!project || !stage || !isWorn) return null;
  const about = stage.about();
  // Of several panes they are about the model in the first; what goes over its border is not drawn.
  const { width, height } = stage.eye.pane();
  const at = (lamp: Pick<Lamp, "turn" | "height">) => about(directionOf({ ...lamp, strength: 0, color: [] }, up));
  /** A lamp becomes what is made of it as it is now: several moves may come before the page is drawn again. */
  const lampIs = (i: number, by: (lamp: Lamp) => Partial<Lamp>) => {
    const now = get().proofing.lights ?? get().proof.lights;
    turnLights(project, { ...now, lamps: now.lamps.map((own, j) => (j === i ? { ...own, ...by(own) } : own)) });
  };
  /** Moves a lamp so that it follows the pointer on the page, as far as it can on its ring. */
  const dragged = (lamp: Lamp, dx: number, dy: number): Partial<Lamp> => {
    const here = at(lamp);
    const [a, b] = [at({ ...lamp, turn: lamp.turn + 1 }), at({ ...lamp, height: lamp.height + 1 })];
    const [turnX, turnY, upX, upY] = [a.x - here.x, a.y - here.y, b.x - here.x, b.y - here.y];
    // Least squares, held back where a step on the page would be a leap around the model.
    const back = 0.05;
    const [xx, yy, xy] = [turnX ** 2 + turnY ** 2 + back, upX ** 2 + upY ** 2 + back, turnX * upX + turnY * upY];
    const [p, q] = [turnX * dx + turnY * dy, upX * dx + upY * dy];
    const det = xx * yy - xy * xy;
    return { turn: around(lamp.turn + (yy * p - xy * q) / det), height: held(lamp.height + (xx * q - xy * p) / det) };
  };
  const move = (event: PointerEvent, i: number) => {
    if (inHand !== i) return;
    const { movementX, movementY } = event;
    lampIs(i, (lamp) => dragged(lamp, movementX, movementY));
  };
  const key = (event: KeyboardEvent, i: number) => {
    const ways: Record<string, (lamp: Lamp) => Partial<Lamp>> = {
      ArrowLeft: ({ turn }) => ({ turn: around(turn - BY_KEY) }),
      ArrowRight: ({ turn }) => ({ turn: around(turn + BY_KEY) }),
      ArrowUp: ({ height }) => ({ height: held(height + BY_KEY) }),
      ArrowDown: ({ height }) => ({ height: held(height - BY_KEY) }),
    };
    const by = ways[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    lampIs(i, by);
  };
  return (
    <Box data-drawn={drawn} sx={{ position: "absolute", inset: 0, pointerEvents: "none" }}>
      <Box component="svg" aria-hidden sx={{ position: "absolute", left: 0, top: 0, width, height }}>
        {lights.lamps.map(({ height: high }, i) => (
          <polygon
            key={i}
            points={Array.from({ length: 360 / STEP }, (_, step) => at({ turn: step * STEP, height: high }))
              .map(({ x, y }) => `${x},${y}`)
              .join(" ")}
            fill="none"
            stroke="#fff"
            strokeOpacity={inHand === i ? 0.9 : 0.28}
            strokeDasharray="2 5"
          />
        ))}
      </Box>
      {lights.lamps.map((lamp, i) => {
        const { x, y } = at(lamp);
        const [r = 1, g = 1, b = 1] = lamp.color;
        return (
          <Box
            key={i}
            role="slider"
            tabIndex={0}
            aria-label={`Lamp ${i + 1}: drag it about the model`}
            aria-valuenow={Math.round(lamp.turn)}
            aria-valuemin={-180}
            aria-valuemax={180}
            data-test={`lamp-dot-${i}`}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              setInHand(i);
            }}
            onPointerMove={(event) => move(event, i)}
            onPointerUp={() => setInHand(null)}
            onPointerCancel={() => setInHand(null)}
            onKeyDown={(event) => key(event, i)}
            sx={{
              position: "absolute",
              left: x - DOT / 2,
              top: y - DOT / 2,
              width: DOT,
              height: DOT,
              borderRadius: "50%",
              bgcolor: hex([r, g, b, 1]),
              border: 2,
              borderColor: "#fff",
              boxShadow: "0 0 0 1px rgb(0 0 0 / 0.45)",
              cursor: inHand === i ? "grabbing" : "grab",
              pointerEvents: "auto",
              touchAction: "none",
              opacity: 0.35 + 0.65 * Math.min(1, lamp.strength),
            }}
          />
        );
      })}
    </Box>
  );
}
