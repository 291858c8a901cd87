// The stage: camera, surfaces, pointer. Draws only when something changed.
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import type { FootprintFrame } from "../live/frames";
import { stageGrey } from "../model/theme";
import type { Schemas } from "../api/client";
import type { HandAt } from "./handAt";
import type { Brush } from "../model/state";
import { Surface, type Meeting } from "./surface";

// Values are written as they are stored: three must convert nothing.
THREE.ColorManagement.enabled = false;

/** Pixels of the circle for each dot of a footprint: more dots would hide what they lie on. */
const PIXELS_PER_DOT = 36;

export type Sample = Schemas["Sample"];
export type View = Schemas["View"];

/** Where the pointer is on a part. */
export interface Under extends Meeting {
  part: number;
  /** Radius on screen, in pixels, of one unit at this depth. */
  pixelsPerUnit: number;
}

/** Two pictures side by side: how far from the left the first goes, and which set each part shows in it. */
export interface WipePicture {
  share: number;
  before: Map<number, number | null>;
}

/** Where the camera looks from, as the keys name it. */
export type Axis = "front" | "back" | "left" | "right" | "above" | "below";

const FIELD_OF_VIEW = 32;
const HALF_FIELD = Math.tan(((FIELD_OF_VIEW / 2) * Math.PI) / 180);

export class Stage {
  readonly surfaces = new Map<number, Surface>();
  camera: THREE.PerspectiveCamera | THREE.OrthographicCamera;
  controls: OrbitControls;
  /** Pixels that a median edge takes; null while no wireframe is shown. */
  onEdgePixels: (pixels: number | null) => void = () => undefined;
  /** The part whose density counts, and its median edge in the project's unit. */
  density: { part: number; edge: number } | null = null;
  private readonly perspective = new THREE.PerspectiveCamera(FIELD_OF_VIEW, 1, 0.01, 1000);
  private readonly parallel = new THREE.OrthographicCamera();
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly dots: THREE.Points<THREE.BufferGeometry, THREE.RawShaderMaterial>;
  private readonly places: THREE.Points<THREE.BufferGeometry, THREE.RawShaderMaterial>;
  private readonly sizes: ResizeObserver;
  private pending = 0;
  private framed = false;
  private wire = false;
  private up: "y" | "z" = "y";
  private wipe: WipePicture | null = null;
  private cutaway: Schemas["Cutaway"] | null = null;
  /** The edges of a solid that is being placed. */
  private readonly solid = new THREE.LineSegments(new THREE.BufferGeometry(), new THREE.LineBasicMaterial({ color: 0xd9512c, depthTest: false }));
  private readonly drawn = new Set<() => void>();

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.camera = this.perspective;
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(new THREE.Color(stageGrey));
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.controls = this.control();
    this.dots = this.points(4, "vec3(r < 0.3 ? 1.0 : 0.12)");
    // Places to look at shine through what is in front of them.
    this.places = this.points(9, "r < 0.32 ? vec3(0.85, 0.32, 0.17) : vec3(1.0)");
    this.places.material.depthTest = false;
    this.places.renderOrder = 2;
    this.solid.frustumCulled = false;
    this.solid.visible = false;
    this.solid.renderOrder = 3;
    this.scene.add(this.solid);
    this.sizes = new ResizeObserver(() => this.resize());
    this.sizes.observe(canvas.parentElement ?? canvas);
    this.resize();
  }

  private points(size: number, color: string) {
    const points = new THREE.Points(
      new THREE.BufferGeometry(),
      new THREE.RawShaderMaterial({
        glslVersion: THREE.GLSL3,
        uniforms: { size: { value: size * this.renderer.getPixelRatio() } },
        vertexShader: /* glsl */ `in vec3 position; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; uniform float size;
          void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); gl_PointSize = size; }`,
        fragmentShader: /* glsl */ `precision highp float; out vec4 pixel;
          void main() { float r = length(gl_PointCoord - 0.5); if (r > 0.5) discard; pixel = vec4(${color}, 1.0); }`,
      }),
    );
    points.frustumCulled = false;
    points.visible = false;
    this.scene.add(points);
    return points;
  }

  /** The camera's controls are bound to the axis that is up when they are made. */
  private control() {
    const controls = new OrbitControls(this.camera, this.canvas);
    controls.zoomToCursor = true;
    controls.mouseButtons = { LEFT: THREE.MOUSE.ROTATE, MIDDLE: THREE.MOUSE.PAN, RIGHT: THREE.MOUSE.ROTATE };
    controls.addEventListener("change", () => {
      this.fitDepths();
      this.redraw();
    });
    return controls;
  }

  private renewControls() {
    const target = this.controls.target.clone();
    const { enabled } = this.controls;
    this.controls.dispose();
    this.controls = this.control();
    this.controls.target.copy(target);
    this.controls.enabled = enabled;
    this.controls.update();
    this.fitDepths();
    this.redraw();
  }

  /** Chooses the axis that points up; what is in view is framed anew when it changes. */
  setUp(up: "y" | "z") {
    if (up === this.up) return;
    this.up = up;
    for (const camera of [this.perspective, this.parallel]) camera.up.set(0, up === "y" ? 1 : 0, up === "z" ? 1 : 0);
    this.renewControls();
    if (this.framed) {
      this.framed = false;
      this.frame();
    }
  }

  /** Lines of sight that meet in the eye, or run alike; what is in the middle keeps its size. */
  setParallel(is: boolean) {
    if (is === (this.camera === this.parallel)) return;
    const offset = this.camera.position.clone().sub(this.controls.target);
    const distance = this.viewHeight() / 2 / HALF_FIELD;
    const next = is ? this.parallel : this.perspective;
    if (is) {
      const half = offset.length() * HALF_FIELD;
      Object.assign(this.parallel, { top: half, bottom: -half, zoom: 1 });
      // Far enough out that nothing lies behind the plane of the camera.
      offset.setLength(Math.max(offset.length(), 3 * (this.bounds()?.radius ?? 1)));
    } else {
      offset.setLength(distance);
    }
    next.position.copy(this.controls.target).add(offset);
    next.quaternion.copy(this.camera.quaternion);
    this.camera = next;
    this.fitAspect();
    this.renewControls();
  }

  setWire(is: boolean) {
    this.wire = is;
    this.redraw();
  }

  dispose() {
    this.sizes.disconnect();
    cancelAnimationFrame(this.pending);
    this.clear();
    this.controls.dispose();
    this.renderer.dispose();
  }

  clear() {
    for (const surface of this.surfaces.values()) {
      this.scene.remove(surface.object);
      surface.dispose();
    }
    this.surfaces.clear();
  }

  add(part: number, surface: Surface) {
    this.remove(part);
    this.surfaces.set(part, surface);
    surface.cutAway(this.cutaway);
    this.scene.add(surface.object);
    this.redraw();
  }

  remove(part: number) {
    const old = this.surfaces.get(part);
    if (!old) return;
    this.scene.remove(old.object);
    old.dispose();
    this.surfaces.delete(part);
    this.redraw();
  }

  /** True once the user, or a first framing of everything, has set the camera. */
  get isFramed() {
    return this.framed;
  }

  redraw() {
    this.pending ||= requestAnimationFrame(() => {
      this.pending = 0;
      this.drawWire();
      this.renderer.render(this.scene, this.camera);
      if (this.wipe) this.drawBefore(this.wipe);
      for (const tell of this.drawn) tell();
    });
  }

  /** Draws the left of the picture again, with what it was before. */
  private drawBefore({ share, before }: WipePicture) {
    const now = new Map([...this.surfaces].map(([part, surface]) => [part, surface.shownSet]));
    for (const [part, surface] of this.surfaces) surface.show(before.get(part) ?? null);
    const { clientWidth, clientHeight } = this.canvas;
    this.renderer.setScissorTest(true);
    this.renderer.setScissor(0, 0, clientWidth * share, clientHeight);
    this.renderer.render(this.scene, this.camera);
    this.renderer.setScissorTest(false);
    for (const [part, surface] of this.surfaces) surface.show(now.get(part) ?? null);
  }

  /** Tells after each picture that was drawn, until the answer is called. */
  whenDrawn(tell: () => void): () => void {
    this.drawn.add(tell);
    return () => this.drawn.delete(tell);
  }

  setWipe(wipe: WipePicture | null) {
    this.wipe = wipe;
    this.redraw();
  }

  setCutaway(cutaway: Schemas["Cutaway"] | null) {
    this.cutaway = cutaway;
    const plane = cutaway && { normal: cutaway.normal, offset: cutaway.offset };
    for (const surface of this.surfaces.values()) surface.cutAway(plane);
    this.redraw();
  }

  /** Where the cutaway's plane is nearest to the middle of what is there, on the page; and what a move of a pixel along it is. */
  cutawayHandle(): { x: number; y: number; towards: { x: number; y: number }; unitsPerPixel: number } | null {
    const all = this.bounds();
    if (!this.cutaway || !all) return null;
    const normal = new THREE.Vector3().fromArray(this.cutaway.normal);
    const on = all.center.clone().addScaledVector(normal, this.cutaway.offset - normal.dot(all.center));
    const at = this.onPage(on);
    const step = all.radius / 20;
    const ahead = this.onPage(on.clone().addScaledVector(normal, step));
    const way = { x: ahead.x - at.x, y: ahead.y - at.y };
    const pixels = Math.hypot(way.x, way.y);
    // A plane that faces the view moves by dragging up and down.
    if (pixels < 2) return { ...at, towards: { x: 0, y: -1 }, unitsPerPixel: 1 / this.pixelsPerUnit(on) };
    return { ...at, towards: { x: way.x / pixels, y: way.y / pixels }, unitsPerPixel: step / pixels };
  }

  /** Where everything in sight begins and ends along a direction. */
  extent(direction: readonly number[]): [number, number] {
    const all = this.bounds();
    const middle = all ? all.center.dot(new THREE.Vector3().fromArray(direction)) : 0;
    const radius = all?.radius ?? 1;
    return [middle - radius, middle + radius];
  }

  /** Draws the edges of a solid; null takes them away. */
  showSolid(region: Schemas["Region"] | null) {
    this.solid.visible = region?.type === "solid";
    if (region?.type === "solid") {
      const shapes = { box: () => new THREE.BoxGeometry(2, 2, 2), cylinder: () => new THREE.CylinderGeometry(1, 1, 2, 24), sphere: () => new THREE.SphereGeometry(1, 16, 10), cone: () => new THREE.ConeGeometry(1, 2, 24) };
      const shape = shapes[region.solid]();
      this.solid.geometry.dispose();
      this.solid.geometry = new THREE.EdgesGeometry(shape, region.solid === "sphere" ? 1 : 20);
      shape.dispose();
      const { translation = [0, 0, 0], rotation_degrees = [0, 0, 0], scale = [1, 1, 1] } = region.transform;
      const [x, y, z] = rotation_degrees.map((degrees) => (degrees / 180) * Math.PI);
      this.solid.position.fromArray(translation);
      // Turns about the project's X, then Y, then Z.
      this.solid.rotation.set(x ?? 0, y ?? 0, z ?? 0, "ZYX");
      this.solid.scale.fromArray(scale);
    }
    this.redraw();
  }

  /** Edges fade before they lie so close that they would blacken the surface. */
  private drawWire() {
    for (const [part, surface] of this.surfaces) {
      if (!this.wire) {
        surface.outline(0);
        continue;
      }
      const edge = this.density?.part === part ? this.density.edge : surface.bounds.radius / 40;
      const pixels = edge * this.pixelsPerUnit(this.nearestOf(surface));
      surface.outline(Math.min(1, Math.max(0, (pixels - 1.5) / 5)));
      if (this.density?.part === part) this.onEdgePixels(pixels);
    }
    if (!this.wire) this.onEdgePixels(null);
  }

  /** The middle of a part, or where the camera looks when it is close to it. */
  private nearestOf(surface: Surface): THREE.Vector3 {
    const { center, radius } = surface.bounds;
    const { target } = this.controls;
    return center.distanceTo(target) < radius ? target : center;
  }

  /** Brings parts into view, from the side they are seen from; all visible ones when none are named. */
  frame(parts?: number[], axis?: Axis) {
    const all = this.bounds(parts);
    if (!all) return;
    const sight = axis
      ? this.sightOf(axis)
      : this.framed
        ? this.camera.position.clone().sub(this.controls.target).normalize()
        : this.upright(0.25, 0.42, 1);
    this.framed = true;
    const narrow = Math.min(1, this.aspect());
    const distance = (all.radius / Math.sin(((FIELD_OF_VIEW / 2) * Math.PI) / 180) / narrow) * 1.06;
    this.controls.target.copy(all.center);
    if (this.camera === this.parallel) {
      const half = distance * HALF_FIELD;
      Object.assign(this.parallel, { top: half, bottom: -half, zoom: 1 });
      this.fitAspect();
    }
    const out = this.camera === this.parallel ? Math.max(distance, 3 * (this.bounds()?.radius ?? 1)) : distance;
    this.camera.position.copy(all.center).addScaledVector(sight, out);
    this.controls.update();
    this.fitDepths();
    this.redraw();
  }

  /** A direction given with Y up, in the project's space. */
  private upright(x: number, y: number, z: number): THREE.Vector3 {
    return (this.up === "y" ? new THREE.Vector3(x, y, z) : new THREE.Vector3(x, -z, y)).normalize();
  }

  private sightOf(axis: Axis): THREE.Vector3 {
    const way = { front: [0, 0, 1], back: [0, 0, -1], right: [1, 0, 0], left: [-1, 0, 0], above: [0, 1, 1e-4], below: [0, -1, 1e-4] }[axis];
    return this.upright(way[0] ?? 0, way[1] ?? 0, way[2] ?? 0);
  }

  /** Turns or moves closer by keys. Angles in radians; zoom as a factor of the distance. */
  turn(around: number, over: number, zoom = 1) {
    const upright = new THREE.Quaternion().setFromUnitVectors(this.camera.up, new THREE.Vector3(0, 1, 0));
    const offset = this.camera.position.clone().sub(this.controls.target).applyQuaternion(upright);
    const spherical = new THREE.Spherical().setFromVector3(offset);
    spherical.theta += around;
    spherical.phi = Math.min(Math.PI - 0.01, Math.max(0.01, spherical.phi + over));
    if (this.camera === this.parallel) {
      this.parallel.zoom /= zoom;
      this.parallel.updateProjectionMatrix();
    } else spherical.radius *= zoom;
    offset.setFromSpherical(spherical).applyQuaternion(upright.invert());
    this.camera.position.copy(offset).add(this.controls.target);
    this.controls.update();
    this.fitDepths();
    this.redraw();
  }

  ray(x: number, y: number): THREE.Ray {
    const box = this.canvas.getBoundingClientRect();
    const at = new THREE.Vector2(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2);
    const caster = new THREE.Raycaster();
    caster.setFromCamera(at, this.camera);
    return caster.ray;
  }

  /** What lies under a place on the page. */
  under(x: number, y: number): Under | null {
    const ray = this.ray(x, y);
    let nearest: Under | null = null;
    for (const [part, surface] of this.surfaces) {
      const meeting = surface.meet(ray);
      if (meeting && (!nearest || meeting.distance < nearest.distance)) {
        nearest = { ...meeting, part, pixelsPerUnit: this.pixelsPerUnit(meeting.point) };
      }
    }
    return nearest;
  }

  view(): View {
    const forward = this.camera.getWorldDirection(new THREE.Vector3()).toArray();
    if (this.camera === this.parallel) return { kind: "parallel", forward };
    return { kind: "perspective", eye: this.camera.position.toArray(), forward };
  }

  /** The plane of the screen: which way it faces, where its middle lies there, and how much of it a pixel is. */
  screen(): { screen: Schemas["Screen"]; middle: [number, number]; perPixel: number } {
    const [right, up] = [new THREE.Vector3(), new THREE.Vector3()];
    this.camera.matrixWorld.extractBasis(right, up, new THREE.Vector3());
    const screen = { view: this.view(), right: right.toArray(), up: up.toArray() };
    const high = this.canvas.clientHeight;
    if (this.camera === this.parallel) {
      return { screen, middle: [this.camera.position.dot(right), this.camera.position.dot(up)], perPixel: this.viewHeight() / high };
    }
    return { screen, middle: [0, 0], perPixel: (2 * HALF_FIELD) / high };
  }

  /** A place on the page, on the plane of the screen. */
  onScreen(x: number, y: number): [number, number] {
    const box = this.canvas.getBoundingClientRect();
    const { middle, perPixel } = this.screen();
    return [middle[0] + (x - box.left - box.width / 2) * perPixel, middle[1] - (y - box.top - box.height / 2) * perPixel];
  }

  /** Where a line of sight passes the plane through a point that faces the view. */
  beside(x: number, y: number, point: THREE.Vector3): THREE.Vector3 {
    const forward = this.camera.getWorldDirection(new THREE.Vector3());
    const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(forward, point);
    return this.ray(x, y).intersectPlane(plane, new THREE.Vector3()) ?? point.clone();
  }

  /** Where the camera stands, to be saved. */
  pose(): Pick<Schemas["SavedView"], "eye" | "target" | "parallel_height"> {
    const isParallel = this.camera === this.parallel;
    return { eye: this.camera.position.toArray(), target: this.controls.target.toArray(), parallel_height: isParallel ? this.viewHeight() : null };
  }

  /** Looks from where the camera stood; the kind of its sight lines is set before. */
  goTo({ eye, target, parallel_height }: Pick<Schemas["SavedView"], "eye" | "target" | "parallel_height">) {
    this.camera.position.fromArray(eye);
    this.controls.target.fromArray(target);
    if (this.camera === this.parallel && parallel_height != null) {
      Object.assign(this.parallel, { top: parallel_height / 2, bottom: -parallel_height / 2, zoom: 1 });
      this.fitAspect();
    }
    this.framed = true;
    this.controls.update();
    this.fitDepths();
    this.redraw();
  }

  /** The brush as the server takes it: a radius on the screen becomes a share of the distance. */
  brush({ pixels, ...brush }: Brush): Schemas["Brush"] {
    if (!brush.on_screen) return brush;
    const high = this.canvas.clientHeight;
    const radius = this.camera === this.parallel ? (pixels / high) * this.viewHeight() : (pixels / high) * 2 * HALF_FIELD;
    return { ...brush, radius };
  }

  sample({ x, y, pressure }: HandAt, held = false): Sample {
    const { origin, direction } = this.ray(x, y);
    return { origin: origin.toArray(), direction: direction.toArray(), held, pressure };
  }

  /** Where a point is on the page. */
  onPage(point: THREE.Vector3): { x: number; y: number } {
    const box = this.canvas.getBoundingClientRect();
    const seen = point.clone().project(this.camera);
    return { x: box.left + ((seen.x + 1) / 2) * box.width, y: box.top + ((1 - seen.y) / 2) * box.height };
  }

  /** Dots on the elements a dab would cover, or on every so many where they lie close; null takes
   * them away; `beside` adds to those that are there. */
  showFootprint(frame: FootprintFrame | null, radiusPixels = 0, beside = false) {
    const surface = frame && this.surfaces.get(frame.part);
    const was = this.dots.visible;
    if (!beside) this.dots.visible = false;
    if (frame && surface && frame.indices.length > 0) {
      const step = Math.ceil(frame.indices.length / ((Math.PI * radiusPixels ** 2) / PIXELS_PER_DOT + 8));
      const own = new Float32Array(3 * Math.ceil(frame.indices.length / step));
      const point = new THREE.Vector3();
      for (let i = 0; i * step < frame.indices.length; i++) {
        surface.place(frame.set, frame.indices[i * step] ?? 0, point).toArray(own, 3 * i);
      }
      // Those of other parts come on top.
      const before = beside && this.dots.visible ? ((this.dots.geometry.getAttribute("position")?.array ?? []) as Float32Array) : new Float32Array();
      const points = new Float32Array(before.length + own.length);
      points.set(before);
      points.set(own, before.length);
      this.dots.geometry.dispose();
      this.dots.geometry = new THREE.BufferGeometry().setAttribute("position", new THREE.BufferAttribute(points, 3));
      this.dots.visible = true;
    }
    if (was || this.dots.visible) this.redraw();
  }

  /** Marks places on a part, and brings them into view when they are out of it. */
  showPlaces(part: number | null, places: ArrayLike<number> = []) {
    const surface = part === null ? undefined : this.surfaces.get(part);
    this.places.visible = false;
    this.places.geometry.dispose();
    if (surface && places.length > 0) {
      const points = Float32Array.from(places);
      const point = new THREE.Vector3();
      for (let i = 0; i < points.length; i += 3) point.fromArray(points, i).applyMatrix4(surface.object.matrix).toArray(points, i);
      this.places.geometry = new THREE.BufferGeometry().setAttribute("position", new THREE.BufferAttribute(points, 3));
      this.places.visible = true;
    }
    this.redraw();
  }

  private bounds(parts?: number[]): THREE.Sphere | null {
    let all: THREE.Sphere | null = null;
    for (const [part, surface] of this.surfaces) {
      if (parts ? !parts.includes(part) : !surface.object.visible && this.surfaces.size > 1) continue;
      if (all) all.union(surface.bounds);
      else all = surface.bounds;
    }
    return all;
  }

  /** Height of what is seen, in the project's unit, at the depth the camera looks at. */
  private viewHeight(): number {
    if (this.camera === this.parallel) return (this.parallel.top - this.parallel.bottom) / this.parallel.zoom;
    return 2 * HALF_FIELD * this.camera.position.distanceTo(this.controls.target);
  }

  private pixelsPerUnit(point: THREE.Vector3): number {
    if (this.camera === this.parallel) return this.canvas.clientHeight / this.viewHeight();
    const depth = point.clone().sub(this.camera.position).dot(this.camera.getWorldDirection(new THREE.Vector3()));
    return this.canvas.clientHeight / 2 / HALF_FIELD / Math.max(depth, 1e-9);
  }

  /** Near and far planes hug what is there, for the sake of depth precision. */
  private fitDepths() {
    const all = this.bounds();
    if (!all) return;
    const distance = this.camera.position.distanceTo(all.center);
    this.camera.near = this.camera === this.parallel ? -2 * all.radius : Math.max(distance - 1.2 * all.radius, all.radius / 500);
    this.camera.far = distance + 2 * all.radius;
    this.camera.updateProjectionMatrix();
    // Rays are asked for before the next picture is drawn.
    this.camera.updateMatrixWorld();
  }

  private aspect(): number {
    return this.canvas.clientWidth / Math.max(1, this.canvas.clientHeight);
  }

  private fitAspect() {
    this.perspective.aspect = this.aspect();
    this.parallel.left = this.parallel.bottom * this.aspect();
    this.parallel.right = this.parallel.top * this.aspect();
    this.camera.updateProjectionMatrix();
  }

  private resize() {
    const room = this.canvas.parentElement;
    if (!room) return;
    const [width, height] = [Math.max(1, room.clientWidth), Math.max(1, room.clientHeight)];
    this.renderer.setSize(width, height, false);
    this.canvas.style.width = `${width}px`;
    this.canvas.style.height = `${height}px`;
    this.fitAspect();
    this.redraw();
  }
}
