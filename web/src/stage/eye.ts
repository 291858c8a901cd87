// Where the stage is looked at from: two cameras, what turns and moves them, and places of the page in the
// project's space and back.
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import type { Schemas } from "../api/client";
import type { Brush } from "../model/choices";
import type { HandAt } from "./handAt";

export type Sample = Schemas["Sample"];
export type View = Schemas["View"];

/** Where the camera looks from, as the keys name it. */
export type Axis = "front" | "back" | "left" | "right" | "above" | "below";

const FIELD_OF_VIEW = 32;
const HALF_FIELD = Math.tan(((FIELD_OF_VIEW / 2) * Math.PI) / 180);

export class Eye {
  camera: THREE.PerspectiveCamera | THREE.OrthographicCamera;
  controls: OrbitControls;
  private readonly perspective = new THREE.PerspectiveCamera(FIELD_OF_VIEW, 1, 0.01, 1000);
  private readonly parallel = new THREE.OrthographicCamera();
  private framed = false;
  private up: "y" | "z" = "y";
  /** How panes lie on the canvas, which all show what this eye sees. */
  private grid: readonly [columns: number, rows: number] = [1, 1];

  /** `bounds` tells where the parts named are, or all in sight; `changed` is told of each move. */
  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly bounds: (parts?: number[]) => THREE.Sphere | null,
    private readonly changed: () => void,
  ) {
    this.camera = this.perspective;
    this.controls = this.control();
  }

  /** The camera's controls are bound to the axis that is up when they are made. */
  private control() {
    const controls = new OrbitControls(this.camera, this.canvas);
    // Where there are several panes, a place on the canvas is none on the screen of this camera.
    controls.zoomToCursor = this.grid[0] * this.grid[1] === 1;
    controls.mouseButtons = { LEFT: THREE.MOUSE.ROTATE, MIDDLE: THREE.MOUSE.PAN, RIGHT: THREE.MOUSE.ROTATE };
    controls.addEventListener("change", () => {
      this.fitDepths();
      this.changed();
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
    this.changed();
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
    this.changed();
  }

  /** A direction given with Y up, in the project's space. */
  private upright(x: number, y: number, z: number): THREE.Vector3 {
    return (this.up === "y" ? new THREE.Vector3(x, y, z) : new THREE.Vector3(x, -z, y)).normalize();
  }

  private sightOf(axis: Axis): THREE.Vector3 {
    const way = {
      front: [0, 0, 1],
      back: [0, 0, -1],
      right: [1, 0, 0],
      left: [-1, 0, 0],
      above: [0, 1, 1e-4],
      below: [0, -1, 1e-4],
    }[axis];
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
    this.changed();
  }

  /** How many panes there are beside and above each other. */
  setGrid(grid: readonly [columns: number, rows: number]) {
    if (String(grid) === String(this.grid)) return;
    this.grid = grid;
    this.controls.zoomToCursor = grid[0] * grid[1] === 1;
    this.fitAspect();
    this.changed();
  }

  /** The place of a pane on the page: of the one under a place, or of the first. */
  pane(x?: number, y?: number): { left: number; top: number; width: number; height: number } {
    const box = this.canvas.getBoundingClientRect();
    const [columns, rows] = this.grid;
    const [width, height] = [box.width / columns, box.height / rows];
    const at = (place: number | undefined, start: number, size: number, count: number) =>
      place === undefined ? 0 : Math.min(count - 1, Math.max(0, Math.floor((place - start) / size)));
    return {
      left: box.left + at(x, box.left, width, columns) * width,
      top: box.top + at(y, box.top, height, rows) * height,
      width,
      height,
    };
  }

  /** The height of a pane, pixels. */
  private get high() {
    return Math.max(1, this.canvas.clientHeight / this.grid[1]);
  }

  ray(x: number, y: number): THREE.Ray {
    const box = this.pane(x, y);
    const at = new THREE.Vector2(((x - box.left) / box.width) * 2 - 1, 1 - ((y - box.top) / box.height) * 2);
    const caster = new THREE.Raycaster();
    caster.setFromCamera(at, this.camera);
    return caster.ray;
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
    const { high } = this;
    if (this.camera === this.parallel) {
      return {
        screen,
        middle: [this.camera.position.dot(right), this.camera.position.dot(up)],
        perPixel: this.viewHeight() / high,
      };
    }
    return { screen, middle: [0, 0], perPixel: (2 * HALF_FIELD) / high };
  }

  /** A place on the page, on the plane of the screen. */
  onScreen(x: number, y: number): [number, number] {
    const box = this.pane(x, y);
    const { middle, perPixel } = this.screen();
    return [
      middle[0] + (x - box.left - box.width / 2) * perPixel,
      middle[1] - (y - box.top - box.height / 2) * perPixel,
    ];
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
    return {
      eye: this.camera.position.toArray(),
      target: this.controls.target.toArray(),
      parallel_height: isParallel ? this.viewHeight() : null,
    };
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
    this.changed();
  }

  /** The brush as the server takes it: a radius on the screen becomes a share of the distance. */
  brush({ pixels, ...brush }: Brush): Schemas["Brush"] {
    if (!brush.on_screen) return brush;
    const { high } = this;
    const radius =
      this.camera === this.parallel ? (pixels / high) * this.viewHeight() : (pixels / high) * 2 * HALF_FIELD;
    return { ...brush, radius };
  }

  sample({ x, y, pressure }: HandAt, held = false): Sample {
    const { origin, direction } = this.ray(x, y);
    return { origin: origin.toArray(), direction: direction.toArray(), held, pressure };
  }

  /** True once the user, or a first framing of everything, has set the camera. */
  get isFramed() {
    return this.framed;
  }

  /** Where a point is on the page, in the first pane. */
  onPage(point: THREE.Vector3): { x: number; y: number } {
    const box = this.pane();
    const seen = point.clone().project(this.camera);
    return { x: box.left + ((seen.x + 1) / 2) * box.width, y: box.top + ((1 - seen.y) / 2) * box.height };
  }

  /** Height of what is seen, in the project's unit, at the depth the camera looks at. */
  private viewHeight(): number {
    if (this.camera === this.parallel) return (this.parallel.top - this.parallel.bottom) / this.parallel.zoom;
    return 2 * HALF_FIELD * this.camera.position.distanceTo(this.controls.target);
  }

  /** How many pixels a unit takes at the depth of a point. */
  pixelsPerUnit(point: THREE.Vector3): number {
    if (this.camera === this.parallel) return this.high / this.viewHeight();
    const depth = point.clone().sub(this.camera.position).dot(this.camera.getWorldDirection(new THREE.Vector3()));
    return this.high / 2 / HALF_FIELD / Math.max(depth, 1e-9);
  }

  /** Near and far planes hug what is there, for the sake of depth precision. */
  private fitDepths() {
    const all = this.bounds();
    if (!all) return;
    const distance = this.camera.position.distanceTo(all.center);
    this.camera.near =
      this.camera === this.parallel ? -2 * all.radius : Math.max(distance - 1.2 * all.radius, all.radius / 500);
    this.camera.far = distance + 2 * all.radius;
    this.camera.updateProjectionMatrix();
    // Rays are asked for before the next picture is drawn.
    this.camera.updateMatrixWorld();
  }

  private aspect(): number {
    return this.canvas.clientWidth / this.grid[0] / this.high;
  }

  /** After the canvas has another size. */
  fitAspect() {
    this.perspective.aspect = this.aspect();
    this.parallel.left = this.parallel.bottom * this.aspect();
    this.parallel.right = this.parallel.top * this.aspect();
    this.camera.updateProjectionMatrix();
  }
}
