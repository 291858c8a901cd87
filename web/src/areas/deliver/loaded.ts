// What a delivery looks like to somebody else: its file read by three.js' own loaders, which know
// nothing of this app, and brought to plain arrays of corners.
import * as THREE from "three";
import type { Corners } from "./comparing";
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
  return new THREE.Mesh(
    geometry,
    new THREE.MeshStandardMaterial({
      vertexColors: geometry.hasAttribute("color"),
      side: THREE.DoubleSide,
      roughness: 1,
    }),
  );
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
      const [{ OBJLoader }, { MTLLoader }] = await Promise.all([
        import("three/examples/jsm/loaders/OBJLoader.js"),
        import("three/examples/jsm/loaders/MTLLoader.js"),
      ]);
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
  if (recipient.format !== "glb" && recipient.format !== "gltf")
    return new Map(going.slice(0, 1).map((each) => ["color", each]));
  const ordered = [
    ...going.filter((each) => each.encoding === "color"),
    ...going.filter((each) => each.encoding === "data"),
  ];
  const found = new Map<string, Going>();
  let n = recipient.data === "behind_white" && ordered[0]?.encoding === "data" ? 1 : 0;
  for (const each of ordered) {
    if (each.encoding === "data" && recipient.data === "named")
      found.set(`_${calledIn(recipient, each.name).replace(/[^A-Za-z0-9]/g, "_")}`.toLowerCase(), each);
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
export function cornersOf(
  root: THREE.Object3D,
  recipient: Recipient,
  going: Going[],
): { corners: Corners; owners: Owner[] } {
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
  const color = new THREE.Color();
  let at = 0;
  for (const mesh of meshes) {
    owners.push({ mesh, first: at, place: mesh.matrixWorld.clone() });
    const { index, groups } = mesh.geometry;
    const materials = [mesh.material].flat();
    /** Where a file gives faces materials instead of colors, theirs is what shows. */
    const plain = (i: number) => {
      const group =
        groups.length > 0 && materials.length > 1
          ? groups.find(({ start, count }) => i >= start && i < start + count)
          : undefined;
      const material = materials[group?.materialIndex ?? 0];
      return material && "color" in material && material.color instanceof THREE.Color ? material.color : null;
    };
    const places = mesh.geometry.getAttribute("position");
    const columns = [...attributes].flatMap(([key, { name, encoding }]) => {
      const into = sets.get(name);
      const values = mesh.geometry.hasAttribute(key) ? mesh.geometry.getAttribute(key) : null;
      // Loaders bring colors to linear light; data in glTF is left as it is.
      const isLight = !values || !isGltf || encoding === "color";
      return into ? [{ values, into, isLight, isFirst: key === "color" }] : [];
    });
    for (let i = 0; i < countOf(mesh); i++, at++) {
      const vertex = index ? index.getX(i) : i;
      point
        .fromBufferAttribute(places, vertex)
        .applyMatrix4(mesh.matrixWorld)
        .toArray(positions, 3 * at);
      for (const { values, into, isLight, isFirst } of columns) {
        let alpha = 1;
        if (values) {
          color.setRGB(values.getX(vertex), values.getY(vertex), values.getZ(vertex));
          if (values.itemSize > 3) alpha = values.getW(vertex);
        } else {
          const own = isFirst ? plain(i) : null;
          if (!own) continue;
          color.copy(own);
        }
        into[4 * at] = isLight ? encoded(color.r) : color.r;
        into[4 * at + 1] = isLight ? encoded(color.g) : color.g;
        into[4 * at + 2] = isLight ? encoded(color.b) : color.b;
        into[4 * at + 3] = alpha;
      }
    }
  }
  return { corners: { positions, sets }, owners };
}
