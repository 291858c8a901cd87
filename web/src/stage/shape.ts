// A mesh as it is drawn and met: a vertex for each vertex, and where needed one for each corner of the
// faces. It changes here and there in what the change costs.
import * as THREE from "three";
import type { GeometryFrame, ReshapeFrame } from "../live/frames";
import { resized, room, touch } from "./room";

/** Typed arrays of one mesh, as long as there are elements. */
type Arrays = Pick<GeometryFrame, "positions" | "normals" | "cornerVertices" | "faceStarts" | "triangles">;

/** What a change met. */
export interface Met {
  /** Triangles that changed, came or stand at points that moved; those past the end are gone. */
  triangles: Set<number>;
  /** Corners of the faces that changed or came, ascending. */
  corners: Uint32Array;
}

/** The corners of each vertex as lists, kept up while the mesh changes. */
class CornerLists {
  private first: Int32Array;
  private next: Int32Array;

  constructor({ positions, cornerVertices }: Arrays) {
    this.first = new Int32Array(positions.length / 3).fill(-1);
    this.next = new Int32Array(cornerVertices.length);
    for (let corner = cornerVertices.length - 1; corner >= 0; corner--) this.add(cornerVertices[corner] ?? 0, corner);
  }

  add(vertex: number, corner: number) {
    this.next[corner] = this.first[vertex] ?? -1;
    this.first[vertex] = corner;
  }

  remove(vertex: number, corner: number) {
    const after = this.next[corner] ?? -1;
    let at = this.first[vertex] ?? -1;
    if (at === corner) {
      this.first[vertex] = after;
      return;
    }
    while (at >= 0 && this.next[at] !== corner) at = this.next[at] ?? -1;
    if (at >= 0) this.next[at] = after;
  }

  resize(vertices: number, corners: number) {
    const before = this.first.length;
    this.first = resized(this.first, vertices);
    this.first.fill(-1, Math.min(before, vertices));
    this.next = resized(this.next, corners);
  }

  each(vertex: number, visit: (corner: number) => void) {
    for (let corner = this.first[vertex] ?? -1; corner >= 0; corner = this.next[corner] ?? -1) visit(corner);
  }
}

export class Shape {
  /** Vertices shared among faces; for values per vertex. */
  readonly shared = new THREE.BufferGeometry();
  /** A vertex per corner; for values per corner and per face, made when first needed. */
  private split: THREE.BufferGeometry | null = null;
  /** Three vertices per triangle. */
  private index: Uint32Array;
  private lists: CornerLists | null = null;
  private lines: THREE.BufferGeometry | null = null;
  private readonly arrays: Arrays;
  private hasOwnArrays = false;
  /** Whether normals are the mesh's own, and no smoothing by angle bears on them. */
  readonly hasOwnNormals: boolean;
  /** 4 per corner, where the mesh has normals of its own that differ around a vertex. */
  private cornerNormals: Int16Array | null = null;

  constructor(frame: GeometryFrame) {
    const { positions, cornerVertices, faceStarts, triangles, hasOwnNormals } = frame;
    const isByCorner = hasOwnNormals && frame.normals.length > (4 * positions.length) / 3;
    const normals = isByCorner ? ofVertices(frame) : frame.normals;
    if (isByCorner) this.cornerNormals = frame.normals;
    this.hasOwnNormals = hasOwnNormals;
    this.arrays = { positions, normals, cornerVertices, faceStarts, triangles };
    this.index = triangles ? triangles.map((corner) => cornerVertices[corner] ?? 0) : cornerVertices;
    this.shared.setAttribute("position", new THREE.BufferAttribute(positions, 3));
    this.shared.setAttribute("normal", new THREE.BufferAttribute(normals, 4, true));
    this.shared.setIndex(new THREE.BufferAttribute(this.index, 1));
    this.shared.computeBoundingSphere();
  }

  get vertexCount() {
    return this.arrays.positions.length / 3;
  }

  get cornerCount() {
    return this.arrays.cornerVertices.length;
  }

  get faceCount() {
    const { faceStarts, cornerVertices } = this.arrays;
    return faceStarts ? faceStarts.length - 1 : cornerVertices.length / 3;
  }

  get triangleCount() {
    return this.index.length / 3;
  }

  /** How many elements a placement has. */
  count(placement: "vertex" | "corner" | "face"): number {
    return placement === "vertex" ? this.vertexCount : placement === "corner" ? this.cornerCount : this.faceCount;
  }

  /** The vertex of each corner. */
  get cornerVertices(): Uint32Array {
    return this.arrays.cornerVertices;
  }

  /** 3 per vertex, in the part's own space. */
  get positions(): Float32Array {
    return this.arrays.positions;
  }

  /** Three vertices per triangle. */
  get triangleVertices(): Uint32Array {
    return this.index;
  }

  /** The first corner of a face, and one past its last. */
  face(face: number): [number, number] {
    const starts = this.arrays.faceStarts;
    return starts ? [starts[face] ?? 0, starts[face + 1] ?? 0] : [3 * face, 3 * face + 3];
  }

  faceOf(corner: number): number {
    const starts = this.arrays.faceStarts;
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

  /** The three corners of a triangle. */
  triangle(triangle: number): [number, number, number] {
    const at = (i: number) => this.arrays.triangles?.[3 * triangle + i] ?? 3 * triangle + i;
    return [at(0), at(1), at(2)];
  }

  /** The three vertices of a triangle. */
  verticesOf(triangle: number): [number, number, number] {
    const at = (i: number) => this.index[3 * triangle + i] ?? 0;
    return [at(0), at(1), at(2)];
  }

  /** The normal at a vertex, in the part's own space. */
  normalOf(vertex: number, into: THREE.Vector3): THREE.Vector3 {
    const at = (i: number) => (this.arrays.normals[4 * vertex + i] ?? 0) / 32767;
    return into.set(at(0), at(1), at(2)).normalize();
  }

  eachCornerOf(vertex: number, visit: (corner: number) => void) {
    this.lists ??= new CornerLists(this.arrays);
    this.lists.each(vertex, visit);
  }

  /** Those that have been made. */
  get geometries(): THREE.BufferGeometry[] {
    return this.split ? [this.shared, this.split] : [this.shared];
  }

  /** Whether it is only drawn right with a vertex per corner. */
  get isSplit() {
    return this.cornerNormals !== null;
  }

  /** The geometry with a vertex per corner. */
  corners(): THREE.BufferGeometry {
    if (this.split) return this.split;
    const { positions, normals, cornerVertices, triangles } = this.arrays;
    const split = new THREE.BufferGeometry();
    const points = new Float32Array(3 * cornerVertices.length);
    const directions = new Int16Array(4 * cornerVertices.length);
    cornerVertices.forEach((vertex, corner) => {
      points.set(positions.subarray(3 * vertex, 3 * vertex + 3), 3 * corner);
      if (!this.cornerNormals) directions.set(normals.subarray(4 * vertex, 4 * vertex + 4), 4 * corner);
    });
    if (this.cornerNormals) directions.set(this.cornerNormals);
    split.setAttribute("position", new THREE.BufferAttribute(points, 3));
    split.setAttribute("normal", new THREE.BufferAttribute(directions, 4, true));
    if (triangles) split.setIndex(new THREE.BufferAttribute(room(triangles), 1));
    split.setDrawRange(0, triangles?.length ?? cornerVertices.length);
    this.split = split;
    return split;
  }

  /** The edges of the faces as lines. An edge between two faces is there twice, the same to the bit. */
  edges(): THREE.BufferGeometry {
    if (this.lines) return this.lines;
    const lines = new THREE.BufferGeometry();
    const pairs = new Uint32Array(2 * this.cornerCount);
    for (let face = 0; face < this.faceCount; face++) this.putEdges(face, pairs);
    lines.setAttribute("position", this.shared.getAttribute("position"));
    lines.setIndex(new THREE.BufferAttribute(pairs, 1));
    this.lines = lines;
    return lines;
  }

  private putEdges(face: number, pairs: Uint32Array) {
    const { cornerVertices } = this.arrays;
    const [start, end] = this.face(face);
    for (let corner = start; corner < end; corner++) {
      const a = cornerVertices[corner] ?? 0;
      const b = cornerVertices[corner + 1 < end ? corner + 1 : start] ?? 0;
      pairs[2 * corner] = Math.min(a, b);
      pairs[2 * corner + 1] = Math.max(a, b);
    }
  }

  dispose() {
    this.shared.dispose();
    this.split?.dispose();
    this.lines?.dispose();
  }

  /** Lays a change on. */
  reshape(frame: ReshapeFrame): Met {
    this.lists ??= new CornerLists(this.arrays);
    const { arrays, lists } = this;
    if (!this.hasOwnArrays) {
      // They lie in the message that they came with, one after the other.
      this.hasOwnArrays = true;
      arrays.positions = arrays.positions.slice();
      arrays.normals = arrays.normals.slice();
      arrays.cornerVertices = arrays.cornerVertices.slice();
      this.cornerNormals = this.cornerNormals?.slice() ?? null;
      if (arrays.faceStarts) arrays.faceStarts = arrays.faceStarts.slice();
      if (arrays.triangles) arrays.triangles = arrays.triangles.slice();
      else this.index = arrays.cornerVertices;
    }
    const met: Met = { triangles: new Set(), corners: new Uint32Array(3 * frame.faces.length) };
    const before = { faces: this.faceCount, vertices: this.vertexCount };
    // Out of the lists with what changes or goes.
    const takeOut = (face: number) => {
      const [start, end] = this.face(face);
      for (let corner = start; corner < end; corner++) lists.remove(arrays.cornerVertices[corner] ?? 0, corner);
    };
    for (const face of frame.faces) if (face < before.faces) takeOut(face);
    const triangleOf = (face: number) => this.face(face)[0] - 2 * face;
    for (let face = frame.faceCount; face < before.faces; face++) {
      met.triangles.add(triangleOf(face));
      takeOut(face);
    }
    this.resize(frame.vertexCount, frame.faceCount, before.faces);
    this.putPoints(frame, before.vertices, met);
    this.putFaces(frame, before.faces, met);
    return met;
  }

  private resize(vertices: number, faces: number, facesBefore: number) {
    const { arrays } = this;
    const corners = this.cornerCount + 3 * (faces - facesBefore);
    arrays.positions = resized(arrays.positions, 3 * vertices);
    arrays.normals = resized(arrays.normals, 4 * vertices);
    arrays.cornerVertices = resized(arrays.cornerVertices, corners);
    if (this.cornerNormals) this.cornerNormals = resized(this.cornerNormals, 4 * corners);
    if (arrays.faceStarts && arrays.triangles) {
      const { length } = arrays.faceStarts;
      arrays.faceStarts = resized(arrays.faceStarts, faces + 1);
      for (let face = length; face <= faces; face++) arrays.faceStarts[face] = (arrays.faceStarts[face - 1] ?? 0) + 3;
      const triangles = corners - 2 * faces;
      const known = arrays.triangles.length;
      arrays.triangles = resized(arrays.triangles, 3 * triangles);
      // What comes at the end is triangles of three corners in a row.
      for (let i = known; i < 3 * triangles; i++) arrays.triangles[i] = corners - 3 * triangles + i;
      this.index = resized(this.index, 3 * triangles);
    } else {
      this.index = arrays.cornerVertices;
    }
    this.lists?.resize(vertices, corners);
    fit(this.shared, "position", arrays.positions);
    fit(this.shared, "normal", arrays.normals);
    fitIndex(this.shared, this.index);
    if (this.split) {
      for (const [name, size] of [
        ["position", 3],
        ["normal", 4],
      ] as const) {
        const array = this.split.getAttribute(name).array as Float32Array | Int16Array;
        fit(this.split, name, resized(array, size * corners));
      }
      if (arrays.triangles) fitIndex(this.split, arrays.triangles);
      this.split.setDrawRange(0, arrays.triangles?.length ?? corners);
    }
    if (this.lines) {
      this.lines.setAttribute("position", this.shared.getAttribute("position"));
      const pairs = this.lines.getIndex()?.array as Uint32Array;
      fitIndex(this.lines, resized(pairs, 2 * corners));
    }
  }

  private putPoints({ vertices, positions, normals }: ReshapeFrame, verticesBefore: number, met: Met) {
    const { arrays, shared, split, lists } = this;
    const sphere = shared.boundingSphere ?? new THREE.Sphere();
    const point = new THREE.Vector3();
    const cornersMet: number[] = [];
    vertices.forEach((vertex, i) => {
      const place = positions.subarray(3 * i, 3 * i + 3);
      const normal = normals.subarray(4 * i, 4 * i + 4);
      const was = arrays.positions.subarray(3 * vertex, 3 * vertex + 3);
      const isMoved = vertex < verticesBefore && place.some((x, axis) => x !== was[axis]);
      arrays.positions.set(place, 3 * vertex);
      arrays.normals.set(normal, 4 * vertex);
      sphere.expandByPoint(point.fromArray(place));
      lists?.each(vertex, (corner) => {
        cornersMet.push(corner);
        if (isMoved) {
          const face = this.faceOf(corner);
          const [start, end] = this.face(face);
          for (let triangle = start - 2 * face; triangle < end - 2 * face - 2; triangle++) met.triangles.add(triangle);
        }
      });
    });
    touch(shared.getAttribute("position") as THREE.BufferAttribute, vertices);
    touch(shared.getAttribute("normal") as THREE.BufferAttribute, vertices);
    if (split) this.spread(split, cornersMet);
  }

  private putFaces({ faces, triangles, cornerNormals }: ReshapeFrame, facesBefore: number, met: Met) {
    const { arrays, lists, split, lines } = this;
    const changed = new Uint32Array(faces.length);
    const pairs = lines?.getIndex()?.array as Uint32Array | undefined;
    faces.forEach((face, i) => {
      const [start] = this.face(face);
      const triangle = start - 2 * face;
      changed[i] = triangle;
      met.triangles.add(triangle);
      for (let side = 0; side < 3; side++) {
        const vertex = triangles[3 * i + side] ?? 0;
        arrays.cornerVertices[start + side] = vertex;
        this.index[3 * triangle + side] = vertex;
        lists?.add(vertex, start + side);
        met.corners[3 * i + side] = start + side;
      }
      if (cornerNormals) this.cornerNormals?.set(cornerNormals.subarray(12 * i, 12 * i + 12), 4 * start);
      if (pairs) this.putEdges(face, pairs);
    });
    const touchThrees = (geometry: THREE.BufferGeometry, threes: ArrayLike<number>, size: number) => {
      const index = geometry.getIndex();
      if (index)
        touch(
          index,
          Array.from(threes, (three) => size * three).flatMap((at) => Array.from({ length: size }, (_, k) => at + k)),
        );
    };
    touchThrees(this.shared, changed, 3);
    if (lines) touchThrees(lines, met.corners, 2);
    if (split) {
      this.spread(split, [...met.corners]);
      // Of all corners in a row, only those that came are new.
      if (arrays.triangles)
        touchThrees(
          split,
          changed.filter((_, i) => (faces[i] ?? 0) >= facesBefore),
          3,
        );
    }
  }

  /** Brings places and normals to some corners. */
  private spread(split: THREE.BufferGeometry, corners: number[]) {
    const { positions, normals, cornerVertices } = this.arrays;
    const own = this.cornerNormals;
    const [points, directions] = [split.getAttribute("position"), split.getAttribute("normal")] as [
      THREE.BufferAttribute,
      THREE.BufferAttribute,
    ];
    for (const corner of corners) {
      const vertex = cornerVertices[corner] ?? 0;
      (points.array as Float32Array).set(positions.subarray(3 * vertex, 3 * vertex + 3), 3 * corner);
      const normal = own ? own.subarray(4 * corner, 4 * corner + 4) : normals.subarray(4 * vertex, 4 * vertex + 4);
      (directions.array as Int16Array).set(normal, 4 * corner);
    }
    const ascending = Uint32Array.from(corners).sort();
    touch(points, ascending);
    touch(directions, ascending);
  }
}

/** Some normal of each vertex, from those of its corners. */
function ofVertices({ positions, normals, cornerVertices }: GeometryFrame): Int16Array {
  const of = new Int16Array((4 * positions.length) / 3);
  cornerVertices.forEach((vertex, corner) => {
    of.set(normals.subarray(4 * corner, 4 * corner + 4), 4 * vertex);
  });
  return of;
}

/** Has an attribute lie over all of an array's buffer; another buffer is another attribute. */
function fit(geometry: THREE.BufferGeometry, name: string, array: Float32Array | Int16Array) {
  const { array: old, itemSize, normalized } = geometry.getAttribute(name) as THREE.BufferAttribute;
  if (old.buffer !== array.buffer)
    geometry.setAttribute(name, new THREE.BufferAttribute(room(array), itemSize, normalized));
}

function fitIndex(geometry: THREE.BufferGeometry, array: Uint32Array) {
  if (geometry.getIndex()?.array.buffer !== array.buffer) geometry.setIndex(new THREE.BufferAttribute(room(array), 1));
  geometry.setDrawRange(0, array.length);
}
