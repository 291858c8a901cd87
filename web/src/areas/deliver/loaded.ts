// What a delivery looks like to somebody else: its file read by three.js' own loaders, which know
// nothing of this app, and compared point by point with what the stage holds.
import * as THREE from "three";
import type { Recipient } from "./delivery";

/** A file of a delivery. */
export interface Sent {
  name: string;
  bytes: ArrayBuffer;
}

const text = (bytes: ArrayBuffer) => new TextDecoder().decode(bytes);

/** A mesh of bare geometry, with its colors if it has any. */
function plainMesh(geometry: THREE.BufferGeometry) {
  if (!geometry.hasAttribute("normal")) geometry.computeVertexNormals();
  return new THREE.Mesh(geometry, new THREE.MeshStandardMaterial({ vertexColors: geometry.hasAttribute("color"), side: THREE.DoubleSide, roughness: 1 }));
}

/** Lets a loader bring colors to linear light, as it does everywhere else: the stage has that turned off. */
function managed<T>(work: () => T): T {
  const before = THREE.ColorManagement.enabled;
  THREE.ColorManagement.enabled = true;
  try {
    return work();
  } finally {
    THREE.ColorManagement.enabled = before;
  }
}

/** Reads a file by the loader for its kind; null where three.js has none. */
export async function load(file: Sent, beside: Sent[]): Promise<THREE.Object3D | null> {
  const end = file.name.split(".").pop()?.toLowerCase();
  switch (end) {
    case "glb":
    case "gltf": {
      const { GLTFLoader } = await import("three/examples/jsm/loaders/GLTFLoader.js");
      return (await managed(() => new GLTFLoader().parseAsync(file.bytes, ""))).scene;
    }
    case "ply": {
      const { PLYLoader } = await import("three/examples/jsm/loaders/PLYLoader.js");
      return managed(() => plainMesh(new PLYLoader().parse(file.bytes)));
    }
    case "stl": {
      const { STLLoader } = await import("three/examples/jsm/loaders/STLLoader.js");
      return plainMesh(new STLLoader().parse(file.bytes));
    }
    case "obj": {
      const [{ OBJLoader }, { MTLLoader }] = await Promise.all([import("three/examples/jsm/loaders/OBJLoader.js"), import("three/examples/jsm/loaders/MTLLoader.js")]);
      const library = beside.find((each) => each.name.endsWith(".mtl"));
      const loader = new OBJLoader();
      if (library) loader.setMaterials(new MTLLoader().parse(text(library.bytes).replace(/^map_Kd.*$/gm, ""), ""));
      return managed(() => loader.parse(text(file.bytes)));
    }
    case "3mf": {
      const { ThreeMFLoader } = await import("three/examples/jsm/loaders/3MFLoader.js");
      return managed(() => new ThreeMFLoader().parse(file.bytes));
    }
    case "dae": {
      const { ColladaLoader } = await import("three/examples/jsm/loaders/ColladaLoader.js");
      return managed(() => new ColladaLoader().parse(text(file.bytes), "")?.scene ?? null);
    }
    case "wrl": {
      const { VRMLLoader } = await import("three/examples/jsm/loaders/VRMLLoader.js");
      return managed(() => new VRMLLoader().parse(text(file.bytes), ""));
    }
    default:
      return null;
  }
}

/** Corners of triangles: where each is, and the four numbers of each set. */
export interface Corners {
  positions: Float32Array;
  /** Four numbers a corner, 0–1, as stored; by the set's name. */
  sets: Map<string, Float32Array>;
}

/** A set that goes along. */
export interface Going {
  name: string;
  encoding: "color" | "data";
}

/** What a set is called in the files of a recipient. */
export function calledIn(recipient: Recipient, name: string): string {
  const called = (recipient.set_names[name] ?? name).trim();
  return recipient.plain_names ? called.replace(/[^A-Za-z0-9]/g, "_").replace(/^(?=\d|$)/, "_") : called;
}

const encoded = (x: number) => (x <= 0.0031308 ? 12.92 * x : 1.055 * x ** (1 / 2.4) - 0.055);

/** The attribute in which three.js holds each set that a file of a recipient carries. */
export function attributesOf(recipient: Recipient, going: Going[]): Map<string, Going> {
  if (recipient.format !== "glb" && recipient.format !== "gltf") return new Map(going.slice(0, 1).map((each) => ["color", each]));
  const ordered = [...going.filter((each) => each.encoding === "color"), ...going.filter((each) => each.encoding === "data")];
  const found = new Map<string, Going>();
  let n = recipient.data === "behind_white" && ordered[0]?.encoding === "data" ? 1 : 0;
  for (const each of ordered) {
    if (each.encoding === "data" && recipient.data === "named") found.set(`_${calledIn(recipient, each.name).replace(/[^A-Za-z0-9]/g, "_")}`.toLowerCase(), each);
    else {
      found.set(n === 0 ? "color" : `color_${n}`, each);
      n += 1;
    }
  }
  return found;
}

/** A mesh of what was read: its first corner among all, and where it stands in the file. */
export interface Owner {
  mesh: THREE.Mesh;
  first: number;
  place: THREE.Matrix4;
}

/** All corners of what a loader gave, where they stand. */
export function cornersOf(root: THREE.Object3D, recipient: Recipient, going: Going[]): { corners: Corners; owners: Owner[] } {
  root.updateMatrixWorld(true);
  const isGltf = recipient.format === "glb" || recipient.format === "gltf";
  const attributes = attributesOf(recipient, going);
  const meshes: THREE.Mesh[] = [];
  root.traverse((node) => {
    if (node instanceof THREE.Mesh) meshes.push(node as THREE.Mesh);
  });
  const countOf = (mesh: THREE.Mesh) => mesh.geometry.index?.count ?? mesh.geometry.getAttribute("position").count;
  const all = meshes.reduce((sum, mesh) => sum + countOf(mesh), 0);
  const positions = new Float32Array(3 * all);
  const sets = new Map([...attributes.values()].map((each) => [each.name, new Float32Array(4 * all).fill(NaN)]));
  const owners: Owner[] = [];
  const point = new THREE.Vector3();
  let at = 0;
  for (const mesh of meshes) {
    owners.push({ mesh, first: at, place: mesh.matrixWorld.clone() });
    const { index, groups } = mesh.geometry;
    const materials = [mesh.material].flat();
    /** Where a file gives faces materials instead of colors, theirs is what shows. */
    const plain = (i: number) => {
      const group = groups.length > 0 && materials.length > 1 ? groups.find(({ start, count }) => i >= start && i < start + count) : undefined;
      const material = materials[group?.materialIndex ?? 0];
      return material && "color" in material && material.color instanceof THREE.Color ? material.color : null;
    };
    const places = mesh.geometry.getAttribute("position");
    for (let i = 0; i < countOf(mesh); i++, at++) {
      const vertex = index ? index.getX(i) : i;
      point.fromBufferAttribute(places, vertex).applyMatrix4(mesh.matrixWorld);
      positions.set([point.x, point.y, point.z], 3 * at);
      for (const [key, { name, encoding }] of attributes) {
        const values = mesh.geometry.getAttribute(key);
        const into = sets.get(name);
        if (!into) continue;
        if (!values) {
          const color = key === "color" ? plain(i) : null;
          if (color) into.set([encoded(color.r), encoded(color.g), encoded(color.b), 1], 4 * at);
          continue;
        }
        // Loaders bring colors to linear light; data in glTF is left as it is.
        const turn = isGltf && encoding === "data" ? (x: number) => x : encoded;
        into.set([turn(values.getX(vertex)), turn(values.getY(vertex)), turn(values.getZ(vertex)), values.itemSize > 3 ? values.getW(vertex) : 1], 4 * at);
      }
    }
  }
  return { corners: { positions, sets }, owners };
}

export interface Difference {
  name: string;
  largest: number | null;
  mean: number | null;
}

/** How far about X what another program read has to turn to stand as ours, in quarters; see `turns`. */
export const quarters = [0, 1, -1] as const;

/** The ways another program may hold up: as ours, turned from z to y, from y to z. */
const turns: ((x: number, y: number, z: number) => [number, number, number])[] = [(x, y, z) => [x, y, z], (x, y, z) => [x, -z, y], (x, y, z) => [x, z, -y]];

function extent(positions: Float32Array) {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i++) {
    const x = positions[i] ?? 0;
    if (x < (low[i % 3] ?? 0)) low[i % 3] = x;
    if (x > (high[i % 3] ?? 0)) high[i % 3] = x;
  }
  return Math.hypot(...low.map((x, i) => (high[i] ?? 0) - x));
}

/** How finely places are told apart, as a share of the diagonal. */
const GRAIN = 2e-4;

/**
 * Compares what was read with what is ours: at each corner with the closest number that stands at the
 * same place. Size and axis are found out: files have their own.
 */
export function compare(ours: Corners, theirs: Corners): { found: number; corners: number; sets: Difference[]; apart: Float32Array; quarter: number } {
  const diagonal = extent(ours.positions) || 1;
  const scale = diagonal / (extent(theirs.positions) || 1);
  const grain = diagonal * GRAIN;
  const cells = new Map<string, number[]>();
  const key = (x: number, y: number, z: number) => `${Math.round(x / grain)} ${Math.round(y / grain)} ${Math.round(z / grain)}`;
  for (let i = 0; i < ours.positions.length / 3; i++) {
    const own = key(ours.positions[3 * i] ?? 0, ours.positions[3 * i + 1] ?? 0, ours.positions[3 * i + 2] ?? 0);
    const cell = cells.get(own);
    if (cell) cell.push(i);
    else cells.set(own, [i]);
  }
  const near = (turn: (typeof turns)[number], i: number): number[] => {
    const [x, y, z] = turn((theirs.positions[3 * i] ?? 0) * scale, (theirs.positions[3 * i + 1] ?? 0) * scale, (theirs.positions[3 * i + 2] ?? 0) * scale);
    const found: number[] = [...(cells.get(key(x, y, z)) ?? [])];
    // A place at the rim of a cell may have been rounded to the other side.
    for (const dx of [-0.5, 0.5]) for (const dy of [-0.5, 0.5]) for (const dz of [-0.5, 0.5]) {
      const cell = cells.get(key(x + dx * grain, y + dy * grain, z + dz * grain));
      if (cell && cell[0] !== found[0]) found.push(...cell);
    }
    return found;
  };
  const count = theirs.positions.length / 3;
  const probes = Array.from({ length: 300 }, (_, n) => Math.floor((n * count) / 300));
  const hits = turns.map((turn) => probes.filter((i) => near(turn, i).length > 0).length);
  const best = hits.indexOf(Math.max(...hits));
  const turn = turns[best] ?? ((x, y, z) => [x, y, z]);
  const apart = new Float32Array(count);
  let found = 0;
  const sums = new Map([...theirs.sets.keys()].map((name) => [name, { largest: 0, sum: 0, met: 0 }]));
  for (let i = 0; i < count; i++) {
    const places = near(turn, i);
    if (places.length > 0) found += 1;
    for (const [name, values] of theirs.sets) {
      const own = ours.sets.get(name);
      const sum = sums.get(name);
      if (!own || !sum || places.length === 0 || Number.isNaN(values[4 * i])) continue;
      let least = Infinity;
      for (const place of places) {
        let most = 0;
        for (let k = 0; k < 4; k++) most = Math.max(most, Math.abs((own[4 * place + k] ?? 0) - (values[4 * i + k] ?? 0)));
        least = Math.min(least, most);
      }
      apart[i] = Math.max(apart[i] ?? 0, least);
      sum.largest = Math.max(sum.largest, least);
      sum.sum += least;
      sum.met += 1;
    }
  }
  const sets = [...sums].map(([name, { largest, sum, met }]) => ({ name, largest: met > 0 ? largest : null, mean: met > 0 ? sum / met : null }));
  return { found, corners: count, sets, apart, quarter: quarters[best] ?? 0 };
}
