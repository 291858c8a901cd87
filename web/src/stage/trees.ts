// What the pointer meets of a mesh: a tree over all of it, built at once for small meshes and by a
// worker for large ones, so that the page never waits; and a small one over what has changed since.
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { GenerateMeshBVHWorker } from "three-mesh-bvh/worker";
import type { Met, Shape } from "./shape";

/** Up to here a tree takes less than a blink. */
const MOST_AT_ONCE = 100_000;

/** When so many triangles, and so great a share of all, have changed, the whole tree is grown anew. */
const MOST_CHANGED = 4_000;
const MOST_OF_ALL = 1 / 8;

let worker: GenerateMeshBVHWorker | null = null;
let queue: Promise<unknown> = Promise.resolve();

/** Hands a tree over when it is ready. It keeps its own order of triangles (`indirect`), so that they
 * keep the server's numbers. */
function growTree({ positions, triangleVertices }: Shape, ready: (tree: MeshBVH) => void) {
  // A copy: the mesh may change meanwhile, and the worker takes its arrays away for a while.
  const copied = () => {
    const copy = new THREE.BufferGeometry();
    copy.setAttribute("position", new THREE.BufferAttribute(positions.slice(), 3));
    copy.setIndex(new THREE.BufferAttribute(triangleVertices.slice(), 1));
    return copy;
  };
  const copy = copied();
  if (triangleVertices.length / 3 <= MOST_AT_ONCE) {
    ready(new MeshBVH(copy, { indirect: true }));
    return;
  }
  worker ??= new GenerateMeshBVHWorker();
  const builder = worker;
  queue = queue
    .then(() => builder.generate(copy, { indirect: true }))
    .then(ready)
    .catch(() => ready(new MeshBVH(copied(), { indirect: true })));
}

/** Where a ray meets a mesh, in the part's own space. */
export interface Hit {
  point: THREE.Vector3;
  distance: number;
  triangle: number;
}

export class PointerTree {
  private whole: MeshBVH | null = null;
  /** Triangles that are not what they were when the whole tree was grown. */
  private changed = new Set<number>();
  /** Those that changed since another one is being grown. */
  private sinceThen: Set<number> | null = null;
  /** A tree over those that changed, and their numbers in its order. */
  private small: { tree: MeshBVH | null; numbers: number[] } | null = null;

  constructor(private readonly shape: Shape) {
    this.grow();
  }

  /** False while the pointer cannot meet it yet. */
  get ready() {
    return this.whole !== null;
  }

  /** Follows a change of the mesh. */
  change({ triangles }: Met) {
    for (const triangle of triangles) {
      this.changed.add(triangle);
      this.sinceThen?.add(triangle);
    }
    this.small = null;
    if (this.changed.size > Math.max(MOST_CHANGED, MOST_OF_ALL * this.shape.triangleCount)) this.grow();
  }

  /** The nearest point on a ray of the part's own space. */
  meet(ray: THREE.Ray): Hit | null {
    if (!this.whole) return null;
    if (this.changed.size === 0) return hitOf(this.whole.raycastFirst(ray, THREE.DoubleSide));
    const asBefore = this.whole
      .raycast(ray, THREE.DoubleSide)
      .flatMap((hit) => hitOf(hit) ?? [])
      .filter(({ triangle }) => !this.changed.has(triangle));
    this.small ??= this.growSmall();
    const hit = this.small.tree && hitOf(this.small.tree.raycastFirst(ray, THREE.DoubleSide));
    const ofChanged = hit && { ...hit, triangle: this.small.numbers[hit.triangle] ?? 0 };
    return [...asBefore, ...(ofChanged ? [ofChanged] : [])].reduce<Hit | null>(
      (best, each) => (best && best.distance <= each.distance ? best : each),
      null,
    );
  }

  private grow() {
    if (this.sinceThen) return;
    this.sinceThen = new Set();
    growTree(this.shape, (tree) => {
      this.whole = tree;
      this.changed = this.sinceThen ?? new Set();
      this.sinceThen = null;
      this.small = null;
    });
  }

  private growSmall() {
    const { positions, triangleVertices, triangleCount } = this.shape;
    const numbers = [...this.changed].filter((triangle) => triangle < triangleCount);
    const index = Uint32Array.from(numbers.flatMap((t) => [...triangleVertices.subarray(3 * t, 3 * t + 3)]));
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
    geometry.setIndex(new THREE.BufferAttribute(index, 1));
    return { tree: numbers.length > 0 ? new MeshBVH(geometry, { indirect: true }) : null, numbers };
  }
}

function hitOf(hit: THREE.Intersection | null): Hit | null {
  return hit?.faceIndex == null ? null : { point: hit.point, distance: hit.distance, triangle: hit.faceIndex };
}
