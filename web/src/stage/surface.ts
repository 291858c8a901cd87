// One part on the stage: its geometry, the values of its sets, and what the pointer meets.
import * as THREE from "three";
import type { GeometryFrame, ReshapeFrame } from "../live/frames";
import type { Schemas } from "../api/client";
import type { ColorSet } from "../model/state";
import type { Look, Rgba } from "../model/choices";
import { Heats, type Range } from "./heats";
import { MOST_LOOK_SETS, ownUniforms, type LookDress } from "./lookMaterial";
import { resized } from "./room";
import { fragmentShader, lineFragmentShader, lineVertexShader, vertexShader } from "./shaders";
import { Shape } from "./shape";
import { PointerTree } from "./trees";
import { Layout, words, type Held, type Placement } from "./values";

/** The attributes that are put on as they are wanted. */
const DRESS = ["color", "masked", "chosen"];

/** Where a look finds the sets that it takes. */
const setName = (i: number) => `set${i}`;

/** A plane that hides nothing. */
const NO_CUT = new THREE.Vector4(0, 0, 0, 1);

export interface Meeting {
  point: THREE.Vector3;
  distance: number;
  /** Three vertices of the triangle. */
  vertices: [number, number, number];
  /** Triangle as the server counts it. */
  triangle: number;
}

/** A look as it is worn: what it is tied to, and the sets that drive it. */
interface Outfit {
  dress: LookDress;
  carrier: LookDress | null;
  material: THREE.RawShaderMaterial;
  sets: readonly (number | null)[];
}

/** What a part is tied to: the surface, its look, the sets that drive it there, and the vertex. */
export interface Carrier {
  surface: Surface;
  dress: LookDress;
  sets: readonly (number | null)[];
  vertex: number;
}

export class Surface {
  readonly object: THREE.Mesh<THREE.BufferGeometry, THREE.RawShaderMaterial>;
  private readonly material: THREE.RawShaderMaterial;
  private readonly shape: Shape;
  private readonly values = new Map<number, Held>();
  private readonly layout: Layout;
  private shown: number | null = null;
  /** The heat that takes the place of the set, if one does. */
  private hot: string | null = null;
  private masked: number | null = null;
  private chosen: number | null = null;
  private previewed: { set: number; bytes: Uint8Array } | null = null;
  private readonly heats: Heats;
  private readonly tree: PointerTree;
  /** From the project's space to the part's. */
  private readonly inverse = new THREE.Matrix4();
  private wire: THREE.LineSegments<THREE.BufferGeometry, THREE.RawShaderMaterial> | null = null;
  private readonly cut = { value: NO_CUT };
  private readonly smoothCosine = { value: -1 };
  /** The look that is worn in place of the set on screen, and the sets that it takes. */
  private worn: Outfit | null = null;
  /** What it wore, by look: a picture of several panes changes between them. */
  private readonly outfits = new Map<LookDress, Outfit>();
  private readonly own = ownUniforms(this.cut, this.smoothCosine);
  private readonly blacks: THREE.BufferAttribute[] = [];
  private uvs: THREE.BufferAttribute | null = null;
  /** The sets that what is put on the geometry drives. */
  private dressedFor: readonly (number | null)[] = [];

  constructor(
    frame: GeometryFrame,
    /** What the server calls the mesh. */
    public mesh: string,
  ) {
    this.shape = new Shape(frame);
    this.layout = new Layout(this.shape);
    this.heats = new Heats(this.layout);
    this.tree = new PointerTree(this.shape);
    this.material = new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      vertexShader,
      fragmentShader,
      side: THREE.DoubleSide,
      uniforms: {
        lit: { value: true },
        bare: { value: true },
        painted: { value: false },
        palette: { value: new Float32Array(3 * 17) },
        smoothCosine: this.smoothCosine,
        channel: { value: -1 },
        cut: this.cut,
        marks: { value: [false, false] },
      },
      // The dots of the footprint lie on the surface and must not sink into it.
      polygonOffset: true,
      polygonOffsetFactor: 1,
      polygonOffsetUnits: 1,
    });
    this.object = new THREE.Mesh(this.shape.shared, this.material);
    this.object.frustumCulled = false;
    this.object.matrixAutoUpdate = false;
  }

  /** False while the pointer cannot meet it yet. */
  get ready() {
    return this.tree.ready;
  }

  /** In the project's space. */
  get bounds(): THREE.Sphere {
    return (this.shape.shared.boundingSphere ?? new THREE.Sphere()).clone().applyMatrix4(this.object.matrix);
  }

  /** Puts the part where it stands; the matrix is given column by column. */
  stand(matrix: readonly number[]) {
    this.object.matrix.fromArray([...matrix]);
    this.object.matrixWorldNeedsUpdate = true;
    this.inverse.copy(this.object.matrix).invert();
  }

  take(set: number, { placement, encoding }: Pick<ColorSet, "placement" | "encoding">, bytes: Uint8Array) {
    // A copy of its own: the frame's buffer is shared with nothing then.
    this.values.set(set, { placement, bytes: bytes.slice(), swatches: encoding === "swatch" });
    this.layout.forget(String(set));
    if ([this.shown, this.masked, this.chosen, ...(this.worn?.sets ?? [])].includes(set)) this.dress();
  }

  /** Lets go of values that nobody looks at any more. */
  drop(set: number) {
    this.values.delete(set);
    this.layout.forget(String(set));
  }

  has(set: number) {
    return this.values.has(set);
  }

  /** The colors that the numbers of swatches are shown in, from 0, unpainted, on: R, G and B each. */
  paletteIs(colors: readonly number[]) {
    (this.material.uniforms.palette?.value as Float32Array).set(colors);
  }

  /** Where each corner of the faces is, in the project's space. */
  cornerPlaces(): Float32Array {
    const { positions, cornerVertices } = this.shape;
    const places = new Float32Array(3 * cornerVertices.length);
    const point = new THREE.Vector3();
    cornerVertices.forEach((vertex, corner) =>
      point
        .fromArray(positions, 3 * vertex)
        .applyMatrix4(this.object.matrix)
        .toArray(places, 3 * corner),
    );
    return places;
  }

  /** The four bytes of a set at each corner of the faces. */
  cornerBytes(set: number): Uint8Array | null {
    const held = this.values.get(set);
    if (!held) return null;
    const { cornerVertices } = this.shape;
    if (held.placement === "corner") return held.bytes;
    const from = words(held.bytes);
    const into = new Uint32Array(cornerVertices.length);
    if (held.placement === "vertex") cornerVertices.forEach((vertex, corner) => (into[corner] = from[vertex] ?? 0));
    else {
      for (let face = 0; face < from.length; face++) into.fill(from[face] ?? 0, ...this.shape.face(face));
    }
    return new Uint8Array(into.buffer);
  }

  /** Changed values; what is on screen is changed in place. */
  patch(set: number, indices: Uint32Array, bytes: Uint8Array) {
    const held = this.values.get(set);
    if (!held || indices.length === 0) return;
    const all = words(held.bytes);
    // Patches lie at multiples of four in their frame.
    const news = words(bytes);
    indices.forEach((element, i) => {
      all[element] = news[i] ?? 0;
    });
    this.layout.patch(String(set), held, indices);
  }

  /** Follows a change of the mesh; changed values come as patches. */
  reshape(frame: ReshapeFrame, mesh: string) {
    this.mesh = mesh;
    const met = this.shape.reshape(frame);
    this.tree.change(met);
    for (const [set, held] of this.values) {
      held.bytes = resized(held.bytes, 4 * this.shape.count(held.placement));
      this.layout.reshape(String(set), held, met);
    }
    // What was shown over it is of the mesh as it was.
    this.uvs = null;
    this.heats.clear();
    for (const geometry of this.shape.geometries) {
      for (const name of [...DRESS, "uv"]) geometry.deleteAttribute(name);
      for (let i = 0; i < MOST_LOOK_SETS; i++) geometry.deleteAttribute(setName(i));
    }
    this.preview(null);
  }

  /** Chooses the set on screen, or a heat in its place; null shows bare clay. */
  show(set: number | null, hot: string | null = null) {
    this.shown = set !== null && this.values.has(set) ? set : null;
    this.hot = hot;
    this.dress();
  }

  /** Wears a look, driven by the numbers of sets, none for black, in place of the set on screen; null takes it off. */
  wear(dress: LookDress | null, sets: readonly (number | null)[] = [], carrier: LookDress | null = null) {
    const before = this.worn;
    if (!dress) {
      this.worn = null;
    } else {
      let outfit = this.outfits.get(dress);
      if (outfit?.carrier !== carrier) {
        outfit?.material.dispose();
        outfit = { dress, carrier, material: dress.material(this.own, carrier), sets };
        this.outfits.set(dress, outfit);
      }
      outfit.sets = sets;
      this.worn = outfit;
    }
    this.object.material = this.worn?.material ?? this.material;
    if (before !== this.worn || String(before?.sets ?? []) !== String(this.dressedFor)) this.dress();
  }

  /** Lets go of looks that are worn no more. */
  keepOutfits(dresses: ReadonlySet<LookDress>) {
    for (const [dress, { material }] of this.outfits) {
      if (dresses.has(dress) || this.worn?.dress === dress) continue;
      material.dispose();
      this.outfits.delete(dress);
    }
  }

  /** Whether what it wears moves it. */
  get moves() {
    return this.worn !== null && (this.worn.dress.moves || this.worn.carrier !== null);
  }

  /** The wind that it sways in, and what it is tied to. */
  stirBy(to: THREE.Vector3, { strength, speed, gusts }: Schemas["ProofWind"], carrier: Carrier | null) {
    const inPart = (surface: Surface, way: THREE.Vector3) => way.clone().transformDirection(surface.inverse);
    this.own.windTo.value.copy(inPart(this, to));
    this.own.wind.value.set(strength, speed, gusts);
    if (!carrier) return;
    const { surface, dress, sets, vertex } = carrier;
    dress.code.motion?.sets.forEach((name, i) => {
      const set = sets[dress.sets.indexOf(name)] ?? null;
      this.own.tiedSets.value[i]?.fromArray(set === null ? [0, 0, 0, 0] : surface.valueAtVertex(set, vertex));
    });
    const [place, normal] = this.own.tiedAt.value;
    place?.fromArray(surface.shape.positions, 3 * vertex);
    if (normal) surface.shape.normalOf(vertex, normal);
    const [tiedTo, tiedWind] = this.own.tiedWind.value;
    tiedTo?.copy(inPart(surface, to));
    tiedWind?.set(strength, speed, gusts);
    this.own.tiedTurn.value.setFromMatrix4(this.inverse.clone().multiply(surface.object.matrix));
  }

  /** The vertex nearest to a place of the project. */
  nearestVertex(place: THREE.Vector3): number {
    const at = place.clone().applyMatrix4(this.inverse);
    const point = new THREE.Vector3();
    let [nearest, least] = [0, Infinity];
    for (let vertex = 0; vertex < this.shape.positions.length / 3; vertex++) {
      const distance = point.fromArray(this.shape.positions, 3 * vertex).distanceToSquared(at);
      if (distance < least) [nearest, least] = [vertex, distance];
    }
    return nearest;
  }

  /** Takes the texture coordinates of its corners; none of them where it has none. */
  takeUvs(uvs: Float32Array) {
    this.uvs = uvs.length === 2 * this.shape.cornerCount ? new THREE.BufferAttribute(uvs, 2) : null;
    this.shape.corners().deleteAttribute("uv");
    this.dress();
  }

  /** Chooses the mask and the selection that are marked over it. */
  mark(masked: number | null, chosen: number | null) {
    [this.masked, this.chosen] = [masked, chosen];
  }

  /** What a set would be, shown in its place; null shows what is again. */
  preview(set: number | null, bytes?: Uint8Array) {
    this.layout.forget("preview");
    const held = set === null ? undefined : this.values.get(set);
    // One that was made of the mesh as it was comes too late.
    const isOfThis = held && bytes && bytes.length === 4 * this.shape.count(held.placement);
    this.previewed = set !== null && isOfThis ? { set, bytes: bytes.slice() } : null;
    this.dress();
  }

  /** A number for each element, shown as heat; null lets go of it. */
  takeHeat(of: string, placement: Placement, numbers: Float32Array | null) {
    this.heats.take(of, placement, numbers);
  }

  /** The heats that there are. */
  get heatNames() {
    return this.heats.names;
  }

  /** The least and greatest number of a heat. */
  heatRange(of: string): Range | null {
    return this.heats.range(of);
  }

  /** Spreads each heat between two numbers. */
  scaleHeats(rangeOf: (of: string) => Range | null) {
    if (this.heats.scale(rangeOf)) this.dress();
  }

  /** Puts on the geometry what is to be seen. */
  private dress() {
    const own = this.shown === null ? undefined : this.values.get(this.shown);
    const preview = own && this.previewed?.set === this.shown ? { ...own, bytes: this.previewed.bytes } : null;
    const heat = this.hot === null ? undefined : this.heats.get(this.hot);
    const color: [string, Held] | null =
      this.hot !== null
        ? heat
          ? [Heats.name(this.hot), heat]
          : null
        : preview
          ? ["preview", preview]
          : own
            ? [String(this.shown), own]
            : null;
    const marks = [this.masked, this.chosen].map((set) => (set === null ? undefined : this.values.get(set)));
    const [masked, chosen] = marks;
    this.material.uniforms.bare = { value: color === null };
    this.material.uniforms.painted = { value: this.hot === null && color?.[1].swatches === true };
    this.material.uniforms.marks = { value: [masked !== undefined, chosen !== undefined] };
    // One element that is not per vertex, and all are spread to corners.
    const driving = (this.worn?.sets ?? []).map((set) => (set === null ? undefined : this.values.get(set)));
    const isPerVertex = [color?.[1], masked, chosen, ...driving].every((held) => !held || held.placement === "vertex");
    const takesUv = this.worn?.dress.takesUv === true;
    const split = this.shape.isSplit || !isPerVertex || takesUv;
    const geometry = split ? this.shape.corners() : this.shape.shared;
    const put = (name: string, key: string, held: Held | undefined) => {
      if (held) geometry.setAttribute(name, this.layout.attribute(key, held, split));
      else if (!geometry.hasAttribute(name)) geometry.setAttribute(name, this.nothing(split));
    };
    put("color", color?.[0] ?? "", color?.[1]);
    put("masked", String(this.masked), masked);
    put("chosen", String(this.chosen), chosen);
    driving.forEach((held, i) => {
      // What a part has not is black, and not what another look left there.
      if (held) put(setName(i), String(this.worn?.sets[i]), held);
      else geometry.setAttribute(setName(i), this.nothing(split));
    });
    this.dressedFor = this.worn?.sets ?? [];
    if (takesUv && !geometry.hasAttribute("uv"))
      geometry.setAttribute(
        "uv",
        this.uvs ?? new THREE.BufferAttribute(new Float32Array(2 * this.shape.cornerCount), 2),
      );
    this.object.geometry = geometry;
  }

  /** Black everywhere, for what is not there. */
  private nothing(split: boolean): THREE.BufferAttribute {
    const { count } = (split ? this.shape.corners() : this.shape.shared).getAttribute("position");
    const known = this.blacks[Number(split)];
    if (known?.count === count) return known;
    const black = new THREE.BufferAttribute(new Uint8Array(4 * count), 4, true);
    this.blacks[Number(split)] = black;
    return black;
  }

  /** The set on screen. */
  get shownSet() {
    return this.shown;
  }

  /** Lit or flat; faces that bend by less than the angle (degrees) are shaded as one, unless the mesh says itself. */
  light(lit: boolean, smoothUpTo: number) {
    this.material.uniforms.lit = { value: lit };
    // Half of the bend: the smooth normal lies in the middle between two faces.
    const cosine =
      this.shape.hasOwnNormals || smoothUpTo >= 180
        ? -1
        : smoothUpTo <= 0
          ? 2
          : Math.cos((smoothUpTo / 2 / 180) * Math.PI);
    this.smoothCosine.value = cosine;
  }

  /** One channel alone in grey (0–3), alpha as cover over a checker, or all as a color. */
  showChannel(channel: Look["channel"]) {
    this.material.uniforms.channel = {
      value: this.hot !== null ? 5 : channel === null ? -1 : typeof channel === "number" ? channel : 4,
    };
  }

  /** Hides what lies beyond a plane: where normal · place is more than the offset. */
  cutAway(plane: { normal: readonly number[]; offset: number } | null) {
    this.cut.value = plane
      ? new THREE.Vector4(plane.normal[0], plane.normal[1], plane.normal[2], plane.offset)
      : NO_CUT;
  }

  /** The edges of the faces as lines over them, as dark as `strength` (0–1) says; 0 takes them away. */
  outline(strength: number) {
    if (strength <= 0) {
      if (this.wire) this.wire.visible = false;
      return;
    }
    if (!this.wire) {
      // An edge that is there twice is drawn once: the second time it is no nearer.
      const material = new THREE.RawShaderMaterial({
        glslVersion: THREE.GLSL3,
        vertexShader: lineVertexShader,
        fragmentShader: lineFragmentShader,
        uniforms: { strength: { value: 1 }, cut: this.cut },
        transparent: true,
        depthFunc: THREE.LessDepth,
      });
      this.wire = new THREE.LineSegments(this.shape.edges(), material);
      this.wire.frustumCulled = false;
      this.object.add(this.wire);
    }
    this.wire.visible = true;
    this.wire.material.uniforms.strength = { value: strength };
  }

  valueAt(set: number, meeting: Meeting, vertex: number): Rgba | null {
    const corners = this.shape.triangle(meeting.triangle);
    return this.valueOf(set, vertex, () => corners.find((c) => this.shape.cornerVertices[c] === vertex) ?? corners[0]);
  }

  /** What a set has at a vertex: of its first corner where it has more than one number there. */
  private valueAtVertex(set: number, vertex: number): Rgba {
    let first = -1;
    const corner = () => {
      this.shape.eachCornerOf(vertex, (corner) => {
        if (first < 0) first = corner;
      });
      return first;
    };
    return this.valueOf(set, vertex, corner) ?? [0, 0, 0, 0];
  }

  /** What a set has at a vertex, or at the corner of it that is meant, or its face. */
  private valueOf(set: number, vertex: number, corner: () => number): Rgba | null {
    const held = this.values.get(set);
    if (!held) return null;
    const element =
      held.placement === "vertex" ? vertex : held.placement === "corner" ? corner() : this.shape.faceOf(corner());
    const at = (i: number) => (held.bytes[4 * element + i] ?? 0) / 255;
    return [at(0), at(1), at(2), at(3)];
  }

  /** Where a vertex is, in the project's space. */
  position(vertex: number, into = new THREE.Vector3()) {
    return into.fromArray(this.shape.positions, 3 * vertex).applyMatrix4(this.object.matrix);
  }

  /** Where a covered element is, whatever its placement. */
  place(set: number, element: number, into: THREE.Vector3) {
    const placement = this.values.get(set)?.placement ?? "vertex";
    if (placement === "vertex") return this.position(element, into);
    const [start, end] = this.shape.face(placement === "face" ? element : this.shape.faceOf(element));
    const middle = new THREE.Vector3();
    const point = new THREE.Vector3();
    for (let c = start; c < end; c++) middle.add(this.position(this.shape.cornerVertices[c] ?? 0, point));
    middle.divideScalar(end - start);
    if (placement === "face") return into.copy(middle);
    return this.position(this.shape.cornerVertices[element] ?? 0, into).lerp(middle, 0.25);
  }

  /** The nearest point under a ray of the project's space that no cutaway hides; none while the tree is being built. */
  meet(ray: THREE.Ray): Meeting | null {
    if (!this.object.visible) return null;
    const start = ray.origin.clone();
    const { x, y, z, w } = this.cut.value;
    const normal = new THREE.Vector3(x, y, z);
    const depth = normal.dot(start) - w;
    const along = normal.dot(ray.direction);
    if (depth > 0) {
      // From within what is hidden, the ray begins to count where it leaves it.
      if (along >= 0) return null;
      start.addScaledVector(ray.direction, depth / -along);
    }
    const hit = this.tree.meet(new THREE.Ray(start, ray.direction).applyMatrix4(this.inverse));
    if (!hit) return null;
    const point = hit.point.clone().applyMatrix4(this.object.matrix);
    const size = Math.max(1, Math.abs(w));
    if (normal.dot(point) - w > 1e-6 * size) return null;
    return {
      point,
      distance: point.distanceTo(ray.origin),
      vertices: this.shape.verticesOf(hit.triangle),
      triangle: hit.triangle,
    };
  }

  dispose() {
    this.shape.dispose();
    this.wire?.material.dispose();
    for (const { material } of this.outfits.values()) material.dispose();
    this.material.dispose();
  }
}
