// Binary frames of the live socket, laid open as typed arrays without a copy.

export interface GeometryFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "geometry";
  part: number;
  /** 3 per vertex. */
  positions: Float32Array;
  /** 4 per vertex or per corner, full scale 32 767; the fourth is unused. */
  normals: Int16Array;
  /** Whether they are the mesh's own, and stand as they are however its faces bend. */
  hasOwnNormals: boolean;
  cornerVertices: Uint32Array;
  /** First corner of each face and one past the last; null when every face has three corners in a row. */
  faceStarts: Uint32Array | null;
  /** 3 corners per triangle; null likewise. */
  triangles: Uint32Array | null;
}
export interface ValuesFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "values";
  part: number;
  set: number;
  /** 4 per element. */
  values: Uint8Array;
}
export interface PatchFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "patch";
  part: number;
  set: number;
  indices: Uint32Array;
  values: Uint8Array;
}
export interface FootprintFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "footprint";
  part: number;
  set: number;
  /** The elements to be shown: of many, every so many. */
  indices: Uint32Array;
  /** How many are covered. */
  all: number;
}
/** What a set would be. */
export interface PreviewFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "preview";
  part: number;
  set: number;
  /** 4 per element. */
  values: Uint8Array;
}
/** What has changed of a mesh; faces that change, come or go are triangles. All numbers ascend. */
export interface ReshapeFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "reshape";
  part: number;
  /** All that it has now. */
  vertexCount: number;
  faceCount: number;
  vertices: Uint32Array;
  /** 3 per vertex of these. */
  positions: Float32Array;
  /** 4 per vertex of these, full scale 32 767; the fourth is unused. */
  normals: Int16Array;
  faces: Uint32Array;
  /** 3 vertices per face of these. */
  triangles: Uint32Array;
  /** 4 per corner of these, where the mesh has normals of its own. */
  cornerNormals: Int16Array | null;
}
/** A number for each element. */
export interface HeatFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "heat";
  part: number;
  placement: "vertex" | "corner" | "face";
  numbers: Float32Array;
}
/** Places on a part, in its own space. */
export interface PlacesFrame {
  /** The number of the question that it answers; 0 for none. */
  question: number;
  kind: "places";
  part: number;
  /** 3 per place. */
  places: Float32Array;
}
export type Frame =
  GeometryFrame | ValuesFrame | PatchFrame | FootprintFrame | PlacesFrame | PreviewFrame | HeatFrame | ReshapeFrame;

const HEAD_BYTES = 32;

export function decode(buffer: ArrayBuffer): Frame | null {
  const head = new Uint32Array(buffer, 0, HEAD_BYTES / 4);
  const [kind = 0, part = 0, set = 0, a = 0, b = 0, c = 0, d = 0, question = 0] = head;
  let at = HEAD_BYTES;
  const u32 = (count: number) => {
    const array = new Uint32Array(buffer, at, count);
    at += 4 * count;
    return array;
  };
  switch (kind) {
    case 1: {
      const positions = new Float32Array(buffer, at, 3 * a);
      at += 12 * a;
      const count = set === 1 ? b : a;
      const normals = new Int16Array(buffer, at, 4 * count);
      at += 8 * count;
      const hasOwnNormals = set > 0;
      const cornerVertices = u32(b);
      const faceStarts = c > 0 ? u32(c + 1) : null;
      const triangles = d > 0 ? u32(3 * d) : null;
      return {
        kind: "geometry",
        question,
        part,
        positions,
        normals,
        hasOwnNormals,
        cornerVertices,
        faceStarts,
        triangles,
      };
    }
    case 2:
      return { kind: "values", question, part, set, values: new Uint8Array(buffer, at, 4 * a) };
    case 3: {
      const indices = u32(a);
      return { kind: "patch", question, part, set, indices, values: new Uint8Array(buffer, at, 4 * a) };
    }
    case 4:
      return { kind: "footprint", question, part, set, indices: u32(a), all: b };
    case 5:
      return { kind: "places", question, part, places: new Float32Array(buffer, at, 3 * a) };
    case 6:
      return { kind: "preview", question, part, set, values: new Uint8Array(buffer, at, 4 * a) };
    case 7:
      return {
        kind: "heat",
        question,
        part,
        placement: (["vertex", "corner", "face"] as const)[b] ?? "vertex",
        numbers: new Float32Array(buffer, at, a),
      };
    case 8: {
      const vertices = u32(c);
      const positions = new Float32Array(buffer, at, 3 * c);
      at += 12 * c;
      const normals = new Int16Array(buffer, at, 4 * c);
      at += 8 * c;
      const faces = u32(d);
      const triangles = u32(3 * d);
      return {
        kind: "reshape",
        question,
        part,
        vertexCount: a,
        faceCount: b,
        vertices,
        positions,
        normals,
        faces,
        triangles,
        cornerNormals: set === 1 ? new Int16Array(buffer, at, 12 * d) : null,
      };
    }
    default:
      return null;
  }
}
