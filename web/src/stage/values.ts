// The values of sets laid out for drawing: per vertex, or spread to the corners of faces.
import * as THREE from "three";
import type { GeometryFrame } from "../live/frames";
import type { Schemas } from "../api/client";

export type Placement = Schemas["Placement"];

export interface Held {
  placement: Placement;
  /** 4 per element. */
  bytes: Uint8Array;
}

/** Lays the values of one mesh out; attributes are made once and changed in place. */
export class Layout {
  private readonly attributes = new Map<string, THREE.BufferAttribute>();
  /** The corners of each vertex, one after the other, with where they start; made when first needed. */
  private cornersOfVertices: { starts: Uint32Array; corners: Uint32Array } | null = null;

  constructor(private readonly frame: GeometryFrame) {}

  /** The attribute of some values on the geometry that shares vertices, or on the one with a vertex per corner. */
  attribute(name: string, held: Held, split: boolean): THREE.BufferAttribute {
    const key = `${name} ${split ? "split" : "shared"}`;
    const known = this.attributes.get(key);
    if (known) return known;
    const isPlain = held.placement === (split ? "corner" : "vertex");
    let bytes = held.bytes;
    if (!isPlain) {
      bytes = new Uint8Array(4 * this.frame.cornerVertices.length);
      this.spreadAll(held, bytes);
    }
    const attribute = new THREE.BufferAttribute(bytes, 4, true);
    this.attributes.set(key, attribute);
    return attribute;
  }

  /** Lets go of what was laid out under a name. */
  forget(name: string) {
    this.attributes.delete(`${name} split`);
    this.attributes.delete(`${name} shared`);
  }

  /** Brings changed elements (ascending) to the attributes that were made of them. */
  patch(name: string, held: Held, indices: Uint32Array) {
    const shared = this.attributes.get(`${name} shared`);
    if (shared) touch(shared, indices[0] ?? 0, indices[indices.length - 1] ?? 0);
    const split = this.attributes.get(`${name} split`);
    if (!split) return;
    if (held.placement === "corner") {
      touch(split, indices[0] ?? 0, indices[indices.length - 1] ?? 0);
      return;
    }
    const [from, into] = [words(held.bytes), words(split.array as Uint8Array)];
    let [low, high] = [Infinity, -1];
    const put = (corner: number, element: number) => {
      into[corner] = from[element] ?? 0;
      low = Math.min(low, corner);
      high = Math.max(high, corner);
    };
    for (const element of indices) {
      if (held.placement === "face") {
        const [start, end] = this.face(element);
        for (let corner = start; corner < end; corner++) put(corner, element);
      } else {
        const { starts, corners } = this.vertexCorners();
        for (let i = starts[element] ?? 0; i < (starts[element + 1] ?? 0); i++) put(corners[i] ?? 0, element);
      }
    }
    if (high >= 0) touch(split, low, high);
  }

  /** The first corner of a face, and one past its last. */
  face(face: number): [number, number] {
    const starts = this.frame.faceStarts;
    return starts ? [starts[face] ?? 0, starts[face + 1] ?? 0] : [3 * face, 3 * face + 3];
  }

  faceOf(corner: number): number {
    const starts = this.frame.faceStarts;
    if (!starts) return Math.floor(corner / 3);
    let low = 0;
    let high = starts.length - 1;
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if ((starts[middle] ?? 0) <= corner) low = middle;
      else high = middle;
    }
    return low;
  }

  private spreadAll({ placement, bytes }: Held, into: Uint8Array) {
    const [from, to] = [words(bytes), words(into)];
    if (placement === "vertex") {
      this.frame.cornerVertices.forEach((vertex, corner) => {
        to[corner] = from[vertex] ?? 0;
      });
      return;
    }
    for (let face = 0; face < from.length; face++) {
      const [start, end] = this.face(face);
      to.fill(from[face] ?? 0, start, end);
    }
  }

  private vertexCorners() {
    if (this.cornersOfVertices) return this.cornersOfVertices;
    const { cornerVertices, positions } = this.frame;
    const starts = new Uint32Array(positions.length / 3 + 1);
    for (const vertex of cornerVertices) starts[vertex + 1] = (starts[vertex + 1] ?? 0) + 1;
    for (let i = 1; i < starts.length; i++) starts[i] = (starts[i] ?? 0) + (starts[i - 1] ?? 0);
    const next = starts.slice();
    const corners = new Uint32Array(cornerVertices.length);
    cornerVertices.forEach((vertex, corner) => {
      const slot = next[vertex] ?? 0;
      corners[slot] = corner;
      next[vertex] = slot + 1;
    });
    this.cornersOfVertices = { starts, corners };
    return this.cornersOfVertices;
  }
}

/** Four bytes at once. */
export const words = (bytes: Uint8Array) => new Uint32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);

function touch(attribute: THREE.BufferAttribute, first: number, last: number) {
  attribute.addUpdateRange(4 * first, 4 * (last - first + 1));
  attribute.needsUpdate = true;
}
