// The stage: surfaces, and what is drawn of them. Draws only when something changed.
import * as THREE from "three";
import type { FootprintFrame } from "../live/frames";
import { stageGrey } from "../model/theme";
import type { Schemas } from "../api/client";
import type { GripMode } from "../model/choices";
import { Eye } from "./eye";
import { Grip, type Held, type OnTurn } from "./grip";
import { LookLights, Stir } from "./lookMaterial";
import { Marks, type Sheet } from "./marks";
import { pictureTexture } from "./pictureTexture";
import { Surface, type Meeting } from "./surface";
import { Volumes, type ShownVolume } from "./volumes";

// Values are written as they are stored: three must convert nothing.
THREE.ColorManagement.enabled = false;

/** Where the pointer is on a part. */
export interface Under extends Meeting {
  part: number;
  /** Radius on screen, in pixels, of one unit at this depth. */
  pixelsPerUnit: number;
}

/** A picture of several: where it lies on the canvas, and what puts on the surfaces what they show in it. */
export interface PanePicture {
  /** In shares of the canvas, from the top left. */
  at: { left: number; top: number; width: number; height: number };
  /** From where to where it is drawn, in shares of its width. */
  span: readonly [from: number, to: number];
  dress: () => void;
}

export class Stage {
  readonly surfaces = new Map<number, Surface>();
  readonly eye: Eye;
  readonly grip: Grip;
  /** What looks are lit by. */
  readonly lights = new LookLights();
  /** What stirs what wears them. */
  readonly stir = new Stir();
  /** Pixels that a median edge takes; null while no wireframe is shown. */
  onEdgePixels: (pixels: number | null) => void = () => undefined;
  /** The part whose density counts, and its median edge in the project's unit. */
  density: { part: number; edge: number } | null = null;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly marks: Marks;
  private readonly volumes: Volumes;
  private readonly sizes: ResizeObserver;
  private pending = 0;
  private wire = false;
  private moment: "running" | number | null = null;
  private panes: readonly PanePicture[] = [];
  private cutaway: Schemas["Cutaway"] | null = null;
  private readonly drawn = new Set<() => void>();

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(new THREE.Color(stageGrey));
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.eye = new Eye(
      canvas,
      (parts) => this.bounds(parts),
      () => this.redraw(),
    );
    this.grip = new Grip(this.scene, this.eye, canvas, () => this.redraw());
    this.marks = new Marks(this.scene, this.renderer.getPixelRatio());
    this.volumes = new Volumes(this.scene);
    this.sizes = new ResizeObserver(() => this.resize());
    this.sizes.observe(canvas.parentElement ?? canvas);
    this.resize();
  }

  setWire(is: boolean) {
    this.wire = is;
    this.redraw();
  }

  dispose() {
    this.sizes.disconnect();
    cancelAnimationFrame(this.pending);
    this.clear();
    this.grip.dispose();
    this.eye.controls.dispose();
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

  redraw() {
    this.pending ||= requestAnimationFrame(() => {
      this.pending = 0;
      this.letTimePass();
      this.drawWire();
      this.grip.look();
      this.drawPanes();
      for (const tell of this.drawn) tell();
    });
  }

  /** Lets what looks move move, from now on or held at a moment, in seconds; null for all at rest. */
  setMoment(moment: "running" | number | null) {
    this.moment = moment;
    this.stir.uniforms.stir.value = moment === null ? 0 : 1;
    if (typeof moment === "number") this.stir.uniforms.seconds.value = moment;
    this.redraw();
  }

  private letTimePass() {
    if (this.moment !== "running" || ![...this.surfaces.values()].some((surface) => surface.moves)) return;
    // Within an hour floats are exact to a hundredth of a frame.
    this.stir.uniforms.seconds.value = (performance.now() / 1000) % 3600;
    this.redraw();
  }

  /** Draws each pane with what it shows; at last, surfaces are as in the first. */
  private drawPanes() {
    const [first, ...others] = this.panes;
    if (!first || others.length === 0) {
      this.renderer.render(this.scene, this.eye.camera);
      return;
    }
    const { clientWidth, clientHeight } = this.canvas;
    this.renderer.setScissorTest(true);
    for (const { at, span, dress } of this.panes) {
      const [width, height] = [at.width * clientWidth, at.height * clientHeight];
      const [left, below] = [at.left * clientWidth, (1 - at.top - at.height) * clientHeight];
      dress();
      this.renderer.setViewport(left, below, width, height);
      this.renderer.setScissor(left + width * span[0], below, width * (span[1] - span[0]), height);
      this.renderer.render(this.scene, this.eye.camera);
    }
    this.renderer.setScissorTest(false);
    this.renderer.setViewport(0, 0, clientWidth, clientHeight);
    first.dress();
  }

  /** An image as a texture, which takes as many pictures as it is large. */
  texture(bitmap: ImageBitmap, data: boolean): Promise<THREE.Texture> {
    return pictureTexture(this.renderer, bitmap, data);
  }

  /** The color that is drawn at a place on the page. */
  drawnAt(x: number, y: number): [number, number, number, number] {
    const box = this.canvas.getBoundingClientRect();
    const ratio = this.renderer.getPixelRatio();
    const gl = this.renderer.getContext();
    const pixel = new Uint8Array(4);
    const [column, row] = [Math.floor((x - box.left) * ratio), Math.floor((box.height - (y - box.top)) * ratio)];
    gl.readPixels(column, row, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
    const at = (i: number) => (pixel[i] ?? 0) / 255;
    return [at(0), at(1), at(2), at(3)];
  }

  /** Tells after each picture that was drawn, until the answer is called. */
  whenDrawn(tell: () => void): () => void {
    this.drawn.add(tell);
    return () => this.drawn.delete(tell);
  }

  /** What is drawn where; all of them see what one eye sees. */
  setPanes(panes: readonly PanePicture[], grid: readonly [columns: number, rows: number]) {
    this.panes = panes;
    this.eye.setGrid(grid);
    this.redraw();
  }

  /** The neutral ground behind it all, an encoded grey; the stage's own when null. */
  setGround(grey: number | null) {
    const ground = grey === null ? new THREE.Color(stageGrey) : new THREE.Color(grey, grey, grey);
    this.renderer.setClearColor(ground);
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
    const at = this.eye.onPage(on);
    const step = all.radius / 20;
    const ahead = this.eye.onPage(on.clone().addScaledVector(normal, step));
    const way = { x: ahead.x - at.x, y: ahead.y - at.y };
    const pixels = Math.hypot(way.x, way.y);
    // A plane that faces the view moves by dragging up and down.
    if (pixels < 2) return { ...at, towards: { x: 0, y: -1 }, unitsPerPixel: 1 / this.eye.pixelsPerUnit(on) };
    return { ...at, towards: { x: way.x / pixels, y: way.y / pixels }, unitsPerPixel: step / pixels };
  }

  /** Tells where, on the stage and in pixels, the place about all that is there lies in a direction from its middle. */
  about(): (direction: THREE.Vector3) => { x: number; y: number } {
    const all = this.bounds() ?? new THREE.Sphere(new THREE.Vector3(), 1);
    const { left, top } = this.canvas.getBoundingClientRect();
    return (direction) => {
      const { x, y } = this.eye.onPage(all.center.clone().addScaledVector(direction, all.radius));
      return { x: x - left, y: y - top };
    };
  }

  /** Where everything in sight begins and ends along a direction. */
  extent(direction: readonly number[]): [number, number] {
    const all = this.bounds();
    const middle = all ? all.center.dot(new THREE.Vector3().fromArray(direction)) : 0;
    const radius = all?.radius ?? 1;
    return [middle - radius, middle + radius];
  }

  /** Edges fade before they lie so close that they would blacken the surface. */
  private drawWire() {
    for (const [part, surface] of this.surfaces) {
      if (!this.wire) {
        surface.outline(0);
        continue;
      }
      const edge = this.density?.part === part ? this.density.edge : surface.bounds.radius / 40;
      const pixels = edge * this.eye.pixelsPerUnit(this.nearestOf(surface));
      surface.outline(Math.min(1, Math.max(0, (pixels - 1.5) / 5)));
      if (this.density?.part === part) this.onEdgePixels(pixels);
    }
    if (!this.wire) this.onEdgePixels(null);
  }

  /** The middle of a part, or where the camera looks when it is close to it. */
  private nearestOf(surface: Surface): THREE.Vector3 {
    const { center, radius } = surface.bounds;
    const { target } = this.eye.controls;
    return center.distanceTo(target) < radius ? target : center;
  }

  /** What lies under a place on the page. */
  under(x: number, y: number): Under | null {
    const ray = this.eye.ray(x, y);
    let nearest: Under | null = null;
    for (const [part, surface] of this.surfaces) {
      const meeting = surface.meet(ray);
      if (meeting && (!nearest || meeting.distance < nearest.distance)) {
        nearest = { ...meeting, part, pixelsPerUnit: this.eye.pixelsPerUnit(meeting.point) };
      }
    }
    return nearest;
  }

  /** Which way the face under the pointer looks, to the user's side; unit length. */
  normalAt(under: Under): THREE.Vector3 {
    const surface = this.surfaces.get(under.part);
    const [a, b, c] = under.vertices.map((vertex) => surface?.position(vertex) ?? new THREE.Vector3());
    if (!a || !b || !c) return new THREE.Vector3(0, 1, 0);
    const normal = b.clone().sub(a).cross(c.clone().sub(a)).normalize();
    const sight = under.point.clone().sub(this.eye.camera.position);
    return normal.dot(sight) > 0 ? normal.negate() : normal;
  }

  /** Dots on the elements a dab would cover; null takes them away; `beside` adds to those that are there. */
  showFootprint(frame: FootprintFrame | null, radiusPixels = 0, beside = false) {
    const surface = frame ? this.surfaces.get(frame.part) : undefined;
    if (this.marks.showFootprint(frame, surface ?? null, radiusPixels, beside)) this.redraw();
  }

  /** Puts a grip on a part that stands somewhere; null takes it away. */
  gripOn(part: null): void;
  gripOn(part: number, mode: GripMode, transform: Schemas["Transform"], onTurn: OnTurn): void;
  gripOn(part: number | null, mode: GripMode = "move", transform?: Schemas["Transform"], onTurn?: OnTurn) {
    const surface = part === null ? undefined : this.surfaces.get(part);
    this.grip.hold(
      surface && transform && onTurn ? { mode, transform, middle: surface.bounds.center.clone(), onTurn } : null,
    );
    this.redraw();
  }

  /** Puts a grip on a volume; null takes it away. */
  gripOnVolume(held: Held | null) {
    this.grip.hold(held);
    this.redraw();
  }

  /** Shows volumes where they stand, the one in hand more than the others. */
  showVolumes(volumes: ShownVolume[], inHand: number | null) {
    this.volumes.show(volumes, inHand, this.surfaces);
    this.redraw();
  }

  /** The middle of a volume, in the project. */
  middleOfVolume(id: number): THREE.Vector3 {
    return this.volumes.middle(id);
  }

  /** A volume follows the hand. */
  standVolume(id: number, matrix: number[]) {
    this.volumes.stand(id, matrix);
    this.redraw();
  }

  /** Marks places on a part, or of the project where none is named; no places take the marks away. */
  showPlaces(part: number | null, places: ArrayLike<number> = []) {
    this.marks.showPlaces(part === null ? null : (this.surfaces.get(part) ?? null), places);
    this.redraw();
  }

  /** Lays a picture on a plane of the project; null takes it away. */
  showSheet(sheet: Sheet | null) {
    this.marks.showSheet(sheet, () => this.redraw());
    this.redraw();
  }

  /** Brings a place of the project into the middle, seen from where the eye looks at it now, and marks it. */
  lookAt(place: readonly number[]) {
    const pose = this.eye.pose();
    const offset = pose.eye.map((x, i) => x - (pose.target[i] ?? 0));
    this.eye.goTo({ ...pose, target: [...place], eye: offset.map((x, i) => x + (place[i] ?? 0)) });
    this.showPlaces(null, [...place]);
  }

  /** Draws the seam of a print, a place for each layer; no places take it away. */
  showSeam(places: readonly number[]) {
    this.marks.showSeam(places);
    this.redraw();
  }

  /** Draws the edges of a solid; null takes them away. */
  showSolid(region: Schemas["Region"] | null) {
    this.marks.showSolid(region);
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

  private resize() {
    const room = this.canvas.parentElement;
    if (!room) return;
    const [width, height] = [Math.max(1, room.clientWidth), Math.max(1, room.clientHeight)];
    this.renderer.setSize(width, height, false);
    this.canvas.style.width = `${width}px`;
    this.canvas.style.height = `${height}px`;
    this.eye.fitAspect();
    this.redraw();
  }
}
