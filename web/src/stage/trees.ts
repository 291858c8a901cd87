// Trees for the pointer: built at once for small meshes, by a worker for large ones, so that the
// page never waits.
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { GenerateMeshBVHWorker } from "three-mesh-bvh/worker";

/** Up to here a tree takes less than a blink. */
const MOST_AT_ONCE = 100_000;

let worker: GenerateMeshBVHWorker | null = null;
let queue: Promise<unknown> = Promise.resolve();

/** Hands the tree over when it is ready. The tree keeps its own order of triangles (`indirect`), so
 * that faces keep the server's numbers. */
export function growTree(geometry: THREE.BufferGeometry, ready: (tree: MeshBVH) => void) {
  const index = geometry.getIndex();
  const positions = geometry.getAttribute("position");
  if (!index || index.count / 3 <= MOST_AT_ONCE) {
    ready(new MeshBVH(geometry, { indirect: true }));
    return;
  }
  // The worker takes its arrays away for a while; the stage needs its own to draw.
  const copy = new THREE.BufferGeometry();
  copy.setAttribute("position", new THREE.BufferAttribute((positions.array as Float32Array).slice(), 3));
  copy.setIndex(new THREE.BufferAttribute((index.array as Uint32Array).slice(), 1));
  worker ??= new GenerateMeshBVHWorker();
  const builder = worker;
  queue = queue
    .then(() => builder.generate(copy, { indirect: true }))
    .then(ready)
    .catch(() => ready(new MeshBVH(geometry, { indirect: true })));
}
