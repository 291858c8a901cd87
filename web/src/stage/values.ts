// The values of sets laid out for drawing: per vertex, or spread to the corners of faces.
import * as THREE from "three";
import type { Schemas } from "../api/client";
import { resized, room, touch } from "./room";
import type { Met, Shape } from "./shape";

export type Placement = Schemas["Placement"];

export interface Held {
  placement: Placement;
  /** 4 per element. */
  bytes: Uint8Array;
  /** Whether they are the numbers of swatches. */
  swatches?: boolean;
}

/** Lays the values of one mesh out; attributes are made once and changed in place. */
export class Layout {
  private readonly attributes = new Map<string, THREE.BufferAttribute>();

  constructor(private readonly shape: Shape) {}

  /** The attribute of some values on the geometry that shares vertices, or on the one with a vertex per corner. */
  attribute(name: string, held: Held, split: boolean): THREE.BufferAttribute {
    const key = `${name} ${split ? "split" : "shared"}`;
    const known = this.attributes.get(key);
    if (known) return known;
    const isPlain = held.placement === (split ? "corner" : "vertex");
    let bytes = room(held.bytes);
    if (!isPlain) {
      bytes = new Uint8Array(4 * this.shape.cornerCount);
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
    if (shared) touch(shared, indices);
    const split = this.attributes.get(`${name} split`);
    if (!split) return;
    if (held.placement === "corner") {
      touch(split, indices);
      return;
    }
    const [from, into] = [words(held.bytes), words(split.array as Uint8Array)];
    const changed: number[] = [];
    const put = (corner: number, element: number) => {
      into[corner] = from[element] ?? 0;
      changed.push(corner);
    };
    for (const element of indices) {
      if (held.placement === "face") {
        const [start, end] = this.shape.face(element);
        for (let corner = start; corner < end; corner++) put(corner, element);
      } else {
        this.shape.eachCornerOf(element, (corner) => put(corner, element));
      }
    }
    touch(split, held.placement === "face" ? changed : Uint32Array.from(changed).sort());
  }

  /** Follows a change of the mesh, whose held values are as long as there are elements now. */
  reshape(name: string, held: Held, { corners }: Met) {
    for (const [kind, isPlain] of [
      ["shared", true],
      ["split", held.placement === "corner"],
    ] as const) {
      const key = `${name} ${kind}`;
      const attribute = this.attributes.get(key);
      if (!attribute) continue;
      const array = isPlain ? held.bytes : resized(attribute.array as Uint8Array, 4 * this.shape.cornerCount);
      if (array.buffer !== attribute.array.buffer)
        this.attributes.set(key, new THREE.BufferAttribute(room(array), 4, true));
      if (isPlain) continue;
      // What changes besides is patched.
      const [from, into] = [words(held.bytes), words(array)];
      for (const corner of corners) into[corner] = from[this.elementAt(held.placement, corner)] ?? 0;
      const now = this.attributes.get(key);
      if (now) touch(now, corners);
    }
  }

  /** The element that a corner shows. */
  private elementAt(placement: Placement, corner: number): number {
    return placement === "corner"
      ? corner
      : placement === "face"
        ? this.shape.faceOf(corner)
        : (this.shape.cornerVertices[corner] ?? 0);
  }

  private spreadAll({ placement, bytes }: Held, into: Uint8Array) {
    const [from, to] = [words(bytes), words(into)];
    if (placement === "vertex") {
      this.shape.cornerVertices.forEach((vertex, corner) => {
        to[corner] = from[vertex] ?? 0;
      });
      return;
    }
    for (let face = 0; face < from.length; face++) {
      const [start, end] = this.shape.face(face);
      to.fill(from[face] ?? 0, start, end);
    }
  }
}

/** Four bytes at once. */
export const words = (bytes: Uint8Array) => new Uint32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);
