// Volumes placed, copied, mirrored and set in rows: what the list becomes, by plain sums.
import * as THREE from "three";
import type { Schemas } from "../../api/client";
import { get, set, type Part } from "../../model/state";
import type { Vec } from "../../model/choices";
import { paintable } from "../../model/swatches";
import { free } from "../../model/words";
import type { Project } from "../../project/project";
import { anglesOf, turnOf } from "../../stage/grip";

export type Volume = Schemas["ColorVolume"];
export type Shape = Schemas["VolumeShape"];
type Transform = Schemas["Transform"];
type Axis = 0 | 1 | 2;

export const solids = [
  ["box", "Box"],
  ["cylinder", "Cylinder"],
  ["sphere", "Ball"],
  ["cone", "Cone"],
] as const satisfies readonly (readonly [Schemas["Solid"], string])[];

/** The share of a part's diagonal that a volume reaches to either side at first. */
const FIRST_REACH = 0.08;

const scaleOf = ({ scale = [1, 1, 1] }: Transform) => scale as Vec;
const placeOf = ({ translation = [0, 0, 0] }: Transform) => new THREE.Vector3().fromArray(translation);

/** What was copied, also from another project. */
let copied: Volume | null = null;
export const copy = (volume: Volume) => void (copied = volume);
export const whatWasCopied = () => copied;

export const taken = () => get().volumes.map(({ name }) => name);

/** Sets the list; the part gets a set of swatches if it has none, and is shown in it. */
export async function put(project: Project, volumes: Volume[], part?: number): Promise<boolean> {
  const known = new Set(get().volumes.map(({ id }) => id));
  if (!(await project.edit({ type: "set_volumes", volumes, part }))) return false;
  const come = get().volumes.find(({ id }) => !known.has(id));
  if (come) set({ volume: come.id ?? null });
  const swatches = get()
    .parts.find(({ id }) => id === part)
    ?.sets.find(({ encoding }) => encoding === "swatch");
  if (swatches) set({ target: swatches.id, shown: swatches.id });
  return true;
}

export const change = (project: Project, volume: Volume, by: Partial<Volume>) =>
  put(
    project,
    get().volumes.map((own) => (own.id === volume.id ? { ...own, ...by } : own)),
  );

/** The swatch that is painted in; the first there is where that is none. */
const inHand = () => get().swatch || (paintable(get().swatches)[0]?.number ?? 0);

/** The middle of a part's box, in its own numbers. */
const middleOf = ({ min, max }: Part) =>
  new THREE.Vector3().fromArray(min).add(new THREE.Vector3().fromArray(max)).multiplyScalar(0.5);

/** The middle of a part's box, in the project, and how large that box is. */
function boxOf(part: Part): { middle: THREE.Vector3; size: number } {
  const middle = middleOf(part).applyMatrix4(new THREE.Matrix4().fromArray(part.matrix));
  const size = new THREE.Vector3()
    .fromArray(part.max)
    .sub(new THREE.Vector3().fromArray(part.min))
    .multiply(new THREE.Vector3(...scaleOf(part.transform)))
    .length();
  return { middle, size: size || 1 };
}

/** The next place clicked on the stage gets a volume, its Y axis along the surface's normal there. */
export function place(project: Project, word: string, shape: Shape, like: Volume | null) {
  const mine = {
    says: `Click where the ${word.toLowerCase()} goes`,
    onAny: true,
    take: (_: Vec, id: number, at: Vec, normal: Vec) => {
      const part = get().parts.find((own) => own.id === id);
      if (!part) return;
      set({ part: id });
      const turn = new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 1, 0), new THREE.Vector3(...normal));
      const reach = boxOf(part).size * FIRST_REACH;
      const own = shape.kind === "part" ? get().parts.find(({ id }) => id === shape.part) : undefined;
      const scale = like ? scaleOf(like.transform) : own ? scaleOf(own.transform) : ([reach, reach, reach] as Vec);
      // The middle of a part lies where it was modelled: it is what goes to the place that was clicked.
      const middle = own
        ? middleOf(own)
            .multiply(new THREE.Vector3(...scale))
            .applyQuaternion(turn)
        : null;
      const volume: Volume = {
        ...(like ?? { swatch: inHand(), over: false, off: false }),
        id: 0,
        name: free(word, taken()),
        shape,
        transform: {
          translation: middle ? new THREE.Vector3(...at).sub(middle).toArray() : at,
          rotation_degrees: anglesOf(turn),
          scale,
        },
      };
      void put(project, [volume, ...get().volumes], id);
    },
  };
  set({ placing: mine });
}

/** The same volume on the other side of the active part's middle. */
export function mirrored(volume: Volume, part: Part, axis: Axis): Volume {
  const at = placeOf(volume.transform);
  at.setComponent(axis, 2 * boxOf(part).middle.getComponent(axis) - at.getComponent(axis));
  const turn = turnOf(volume.transform);
  // Seen in a mirror, the part of the turn's axis that lies across it stays, and the other two change sides.
  const parts = [turn.x, turn.y, turn.z].map((value, i) => (i === axis ? value : -value));
  turn.set(parts[0] ?? 0, parts[1] ?? 0, parts[2] ?? 0, turn.w);
  const scale = [...scaleOf(volume.transform)];
  // Solids are their own mirror images.
  if (volume.shape.kind === "part") scale[axis] = -(scale[axis] ?? 1);
  return {
    ...volume,
    id: 0,
    name: free(wordOf(volume), taken()),
    transform: { translation: at.toArray(), rotation_degrees: anglesOf(turn), scale },
  };
}

/** How volumes are set in a row or a ring. */
export interface Row {
  kind: "row" | "ring";
  /** How many there are in the end. */
  count: number;
  /** From one to the next. */
  step: Vec;
}

/** More of the same: each a step further, or turned further about the active part's upright axis. */
export function inRow(volume: Volume, part: Part, { kind, count, step }: Row): Volume[] {
  const names = taken();
  const up = get().traits.up === "y" ? new THREE.Vector3(0, 1, 0) : new THREE.Vector3(0, 0, 1);
  const { middle } = boxOf(part);
  return Array.from({ length: count - 1 }, (_, i) => {
    const at = placeOf(volume.transform);
    let turn = turnOf(volume.transform);
    if (kind === "row") at.addScaledVector(new THREE.Vector3(...step), i + 1);
    else {
      const by = new THREE.Quaternion().setFromAxisAngle(up, (2 * Math.PI * (i + 1)) / count);
      at.sub(middle).applyQuaternion(by).add(middle);
      turn = turn.premultiply(by);
    }
    const name = free(wordOf(volume), names);
    names.push(name);
    return {
      ...volume,
      id: 0,
      name,
      transform: { translation: at.toArray(), rotation_degrees: anglesOf(turn), scale: scaleOf(volume.transform) },
    };
  });
}

/** What a volume is called without its number. */
export const wordOf = ({ name }: Volume) => name.replace(/ \d+$/, "");
