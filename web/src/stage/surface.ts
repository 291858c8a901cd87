// One part on the stage: its geometry, the values of its sets, and what the pointer meets.
import * as THREE from "three";
import type { MeshBVH } from "three-mesh-bvh";
import type { GeometryFrame } from "../live/frames";
import type { Schemas } from "../api/client";
import type { Look } from "../state";
import { growTree } from "./trees";

type Placement = Schemas["Placement"];

const vertexShader = /* glsl */ `
  in vec3 position; in vec3 normal; in vec4 color;
  uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; uniform mat3 normalMatrix;
  out vec4 vColor; out vec3 vNormal; out vec3 vSight;
  void main() {
    vec4 seen = modelViewMatrix * vec4(position, 1.0);
    vColor = color; vNormal = normalMatrix * normal; vSight = -seen.xyz;
    gl_Position = projectionMatrix * seen;
  }`;

// The flat look writes the stored values as they are; light is reckoned in linear light.
const fragmentShader = /* glsl */ `
  precision highp float;
  in vec4 vColor; in vec3 vNormal; in vec3 vSight;
  uniform bool lit; uniform bool bare; uniform float smoothCosine; uniform int channel;
  out vec4 pixel;
  vec3 toLinear(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
  vec3 toEncoded(vec3 c) { return mix(c * 12.92, 1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c)); }
  void main() {
    vec3 color = bare ? vec3(0.72) : vColor.rgb;
    if (!bare && channel >= 0 && channel < 4) color = vec3(vColor[channel]);
    if (!bare && channel == 4) {
      vec2 square = floor(gl_FragCoord.xy / 12.0);
      float checker = mod(square.x + square.y, 2.0) < 0.5 ? 0.42 : 0.58;
      color = mix(vec3(checker), color, vColor.a);
    }
    if (!lit) { pixel = vec4(color, 1.0); return; }
    vec3 n = normalize(vNormal) * (gl_FrontFacing ? 1.0 : -1.0);
    // The face's own normal, from how the place changes over the screen: no geometry is needed for
    // it. It takes over where the smooth one is bent away from it too far.
    vec3 face = normalize(cross(dFdx(vSight), dFdy(vSight)));
    if (dot(face, vSight) < 0.0) face = -face;
    if (dot(n, face) < smoothCosine) n = face;
    vec3 key = normalize(vec3(-0.45, 0.75, 0.6));
    vec3 fill = normalize(vec3(0.8, 0.1, 0.35));
    float wrapped = max(0.0, (dot(n, key) + 0.25) / 1.25);
    float light = 0.2 + 0.16 * (0.5 + 0.5 * n.y) + 0.82 * wrapped * wrapped + 0.12 * max(0.0, dot(n, fill));
    float gloss = pow(max(0.0, dot(n, normalize(key + normalize(vSight)))), 40.0) * 0.07;
    pixel = vec4(toEncoded(min(vec3(1.0), toLinear(color) * light + gloss)), 1.0);
  }`;

const lineVertexShader = /* glsl */ `
  in vec3 position; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix;
  void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`;
const lineFragmentShader = /* glsl */ `
  precision highp float; uniform float strength; out vec4 pixel;
  void main() { pixel = vec4(vec3(0.1), 0.75 * strength); }`;

/** The two vertices of each edge of the faces, each edge once; cuts of polygons are no edges. */
function edgesOf({ cornerVertices, faceStarts }: GeometryFrame): Uint32Array {
  const pairs: number[] = [];
  const back: [number, number][] = [];
  const met = new Set<number>();
  const faces = faceStarts ? faceStarts.length - 1 : cornerVertices.length / 3;
  for (let face = 0; face < faces; face++) {
    const start = faceStarts?.[face] ?? 3 * face;
    const end = faceStarts?.[face + 1] ?? 3 * face + 3;
    for (let corner = start; corner < end; corner++) {
      const a = cornerVertices[corner] ?? 0;
      const b = cornerVertices[corner + 1 < end ? corner + 1 : start] ?? 0;
      if (a > b) back.push([b, a]);
      else {
        pairs.push(a, b);
        met.add(a * 4294967296 + b);
      }
    }
  }
  // On a closed surface every edge is walked both ways; only borders are left over.
  for (const [a, b] of back) if (!met.has(a * 4294967296 + b)) pairs.push(a, b);
  return Uint32Array.from(pairs);
}

export interface Meeting {
  point: THREE.Vector3;
  distance: number;
  /** Three vertices of the triangle. */
  vertices: [number, number, number];
  /** Triangle as the server counts it. */
  triangle: number;
}

export class Surface {
  readonly object: THREE.Mesh<THREE.BufferGeometry, THREE.RawShaderMaterial>;
  private readonly material: THREE.RawShaderMaterial;
  /** Vertices shared among faces; for values per vertex. */
  private readonly shared: THREE.BufferGeometry;
  /** A vertex per corner; for values per corner and per face, made when first needed. */
  private split: THREE.BufferGeometry | null = null;
  private readonly values = new Map<number, { placement: Placement; bytes: Uint8Array }>();
  private shown: number | null = null;
  private bvh: MeshBVH | null = null;
  /** From the project's space to the part's. */
  private readonly inverse = new THREE.Matrix4();
  private wire: THREE.LineSegments<THREE.BufferGeometry, THREE.RawShaderMaterial> | null = null;

  constructor(
    private readonly frame: GeometryFrame,
    /** Names the mesh by its content. */
    readonly mesh: string,
  ) {
    const { positions, normals, cornerVertices, triangles } = frame;
    this.shared = new THREE.BufferGeometry();
    this.shared.setAttribute("position", new THREE.BufferAttribute(positions, 3));
    this.shared.setAttribute("normal", new THREE.BufferAttribute(normals, 4, true));
    const index = triangles ? triangles.map((corner) => cornerVertices[corner] ?? 0) : cornerVertices;
    this.shared.setIndex(new THREE.BufferAttribute(index, 1));
    this.shared.computeBoundingSphere();
    this.material = new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader,
      fragmentShader,
      side: THREE.DoubleSide,
      uniforms: { lit: { value: true }, bare: { value: true }, smoothCosine: { value: -1 }, channel: { value: -1 } },
      // The dots of the footprint lie on the surface and must not sink into it.
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
    });
    this.object = new THREE.Mesh(this.shared, this.material);
    this.object.frustumCulled = false;
    this.object.matrixAutoUpdate = false;
    growTree(this.shared, (tree) => {
      this.bvh = tree;
    });
  }

  /** False while the pointer cannot meet it yet. */
  get ready() {
    return this.bvh !== null;
  }

  /** In the project's space. */
  get bounds(): THREE.Sphere {
    return (this.shared.boundingSphere ?? new THREE.Sphere()).clone().applyMatrix4(this.object.matrix);
  }

  /** Puts the part where it stands; the matrix is given column by column. */
  stand(matrix: readonly number[]) {
    this.object.matrix.fromArray([...matrix]);
    this.object.matrixWorldNeedsUpdate = true;
    this.inverse.copy(this.object.matrix).invert();
  }

  take(set: number, placement: Placement, bytes: Uint8Array) {
    // A copy of its own: the frame's buffer is shared with nothing then.
    this.values.set(set, { placement, bytes: bytes.slice() });
    if (this.shown === set) this.show(set);
  }

  has(set: number) {
    return this.values.has(set);
  }

  /** Changed values; the attribute on screen is changed in place. */
  patch(set: number, indices: Uint32Array, bytes: Uint8Array) {
    const held = this.values.get(set);
    if (!held) return;
    const words = new Uint32Array(held.bytes.buffer, held.bytes.byteOffset, held.bytes.length / 4);
    // Patches lie at multiples of four in their frame.
    const news = new Uint32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);
    indices.forEach((element, i) => {
      words[element] = news[i] ?? 0;
    });
    if (this.shown !== set || indices.length === 0) return;
    const attribute = this.object.geometry.getAttribute("color") as THREE.BufferAttribute;
    if (held.placement === "face") {
      this.spread(held.bytes, attribute.array as Uint8Array);
      attribute.needsUpdate = true;
      return;
    }
    const first = indices[0] ?? 0;
    const last = indices[indices.length - 1] ?? 0;
    attribute.addUpdateRange(4 * first, 4 * (last - first + 1));
    attribute.needsUpdate = true;
  }

  /** Chooses the set on screen; null shows bare clay. */
  show(set: number | null) {
    this.shown = set;
    const held = set === null ? undefined : this.values.get(set);
    this.material.uniforms.bare = { value: !held };
    if (!held) {
      this.object.geometry = this.shared;
      if (!this.shared.hasAttribute("color")) {
        const none = new Uint8Array((this.frame.positions.length / 3) * 4);
        this.shared.setAttribute("color", new THREE.BufferAttribute(none, 4, true));
      }
      return;
    }
    if (held.placement === "vertex") {
      this.shared.setAttribute("color", new THREE.BufferAttribute(held.bytes, 4, true));
      this.object.geometry = this.shared;
      return;
    }
    const split = this.corners();
    let bytes = held.bytes;
    if (held.placement === "face") {
      bytes = new Uint8Array(4 * this.frame.cornerVertices.length);
      this.spread(held.bytes, bytes);
    }
    split.setAttribute("color", new THREE.BufferAttribute(bytes, 4, true));
    this.object.geometry = split;
  }

  /** The set on screen. */
  get shownSet() {
    return this.shown;
  }

  /** Lit or flat; faces that bend by less than the angle (degrees) are shaded as one. */
  light(lit: boolean, smoothUpTo: number) {
    this.material.uniforms.lit = { value: lit };
    // Half of the bend: the smooth normal lies in the middle between two faces.
    const cosine = smoothUpTo >= 180 ? -1 : smoothUpTo <= 0 ? 2 : Math.cos((smoothUpTo / 2 / 180) * Math.PI);
    this.material.uniforms.smoothCosine = { value: cosine };
  }

  /** One channel alone in grey (0–3), alpha as cover over a checker, or all as a color. */
  showChannel(channel: Look["channel"]) {
    this.material.uniforms.channel = { value: channel === null ? -1 : typeof channel === "number" ? channel : 4 };
  }

  /** The edges of the faces as lines over them, as dark as `strength` (0–1) says; 0 takes them away. */
  outline(strength: number) {
    if (strength <= 0) {
      if (this.wire) this.wire.visible = false;
      return;
    }
    if (!this.wire) {
      const lines = new THREE.BufferGeometry();
      lines.setAttribute("position", this.shared.getAttribute("position"));
      lines.setIndex(new THREE.BufferAttribute(edgesOf(this.frame), 1));
      const material = new THREE.RawShaderMaterial({ glslVersion: THREE.GLSL3, vertexShader: lineVertexShader, fragmentShader: lineFragmentShader, uniforms: { strength: { value: 1 } }, transparent: true, depthWrite: false });
      this.wire = new THREE.LineSegments(lines, material);
      this.wire.frustumCulled = false;
      this.object.add(this.wire);
    }
    this.wire.visible = true;
    this.wire.material.uniforms.strength = { value: strength };
  }

  valueAt(set: number, meeting: Meeting, vertex: number): [number, number, number, number] | null {
    const held = this.values.get(set);
    if (!held) return null;
    let element = vertex;
    if (held.placement !== "vertex") {
      const corners = [0, 1, 2].map((i) => this.frame.triangles?.[3 * meeting.triangle + i] ?? 3 * meeting.triangle + i);
      const corner = corners.find((c) => this.frame.cornerVertices[c] === vertex) ?? corners[0] ?? 0;
      element = held.placement === "corner" ? corner : this.faceOf(corner);
    }
    const at = (i: number) => (held.bytes[4 * element + i] ?? 0) / 255;
    return [at(0), at(1), at(2), at(3)];
  }

  /** Where a vertex is, in the project's space. */
  position(vertex: number, into = new THREE.Vector3()) {
    return into.fromArray(this.frame.positions, 3 * vertex).applyMatrix4(this.object.matrix);
  }

  /** Where a covered element is, whatever its placement. */
  place(set: number, element: number, into: THREE.Vector3) {
    const placement = this.values.get(set)?.placement ?? "vertex";
    if (placement === "vertex") return this.position(element, into);
    const face = placement === "face" ? element : this.faceOf(element);
    const start = this.frame.faceStarts?.[face] ?? 3 * face;
    const end = this.frame.faceStarts?.[face + 1] ?? 3 * face + 3;
    const middle = new THREE.Vector3();
    const point = new THREE.Vector3();
    for (let c = start; c < end; c++) middle.add(this.position(this.frame.cornerVertices[c] ?? 0, point));
    middle.divideScalar(end - start);
    if (placement === "face") return into.copy(middle);
    return this.position(this.frame.cornerVertices[element] ?? 0, into).lerp(middle, 0.25);
  }

  /** The nearest point under a ray of the project's space; none while the tree is being built. */
  meet(ray: THREE.Ray): Meeting | null {
    if (!this.object.visible) return null;
    const hit = this.bvh?.raycastFirst(ray.clone().applyMatrix4(this.inverse), THREE.DoubleSide);
    if (!hit || hit.faceIndex == null || !hit.face) return null;
    const { a, b, c } = hit.face;
    const point = hit.point.clone().applyMatrix4(this.object.matrix);
    return { point, distance: point.distanceTo(ray.origin), vertices: [a, b, c], triangle: hit.faceIndex };
  }

  dispose() {
    this.shared.dispose();
    this.wire?.geometry.dispose();
    this.wire?.material.dispose();
    this.split?.dispose();
    this.material.dispose();
  }

  private faceOf(corner: number): number {
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

  private corners(): THREE.BufferGeometry {
    if (this.split) return this.split;
    const { positions, normals, cornerVertices, triangles } = this.frame;
    const split = new THREE.BufferGeometry();
    const points = new Float32Array(3 * cornerVertices.length);
    const directions = new Int16Array(4 * cornerVertices.length);
    cornerVertices.forEach((vertex, corner) => {
      points.set(positions.subarray(3 * vertex, 3 * vertex + 3), 3 * corner);
      directions.set(normals.subarray(4 * vertex, 4 * vertex + 4), 4 * corner);
    });
    split.setAttribute("position", new THREE.BufferAttribute(points, 3));
    split.setAttribute("normal", new THREE.BufferAttribute(directions, 4, true));
    if (triangles) split.setIndex(new THREE.BufferAttribute(triangles, 1));
    this.split = split;
    return split;
  }

  /** Values per face, one for each of its corners. */
  private spread(faces: Uint8Array, corners: Uint8Array) {
    const starts = this.frame.faceStarts;
    for (let face = 0; face < faces.length / 4; face++) {
      const value = faces.subarray(4 * face, 4 * face + 4);
      const end = starts?.[face + 1] ?? 3 * face + 3;
      for (let c = starts?.[face] ?? 3 * face; c < end; c++) corners.set(value, 4 * c);
    }
  }
}
