// The stage: camera, surfaces, pointer. Draws only when something changed.
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import type { FootprintFrame } from "../live/frames";
import { stageGrey } from "../theme";
import { Surface, type Meeting } from "./surface";
import type { Schemas } from "../api/client";

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

export class Stage {
  readonly surfaces = new Map<number, Surface>();
  readonly camera = new THREE.PerspectiveCamera(32, 1, 0.01, 1000);
  readonly controls: OrbitControls;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly dots: THREE.Points<THREE.BufferGeometry, THREE.RawShaderMaterial>;
  private readonly sizes: ResizeObserver;
  private pending = 0;
  private framed = false;

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true });
    this.renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    this.renderer.setClearColor(new THREE.Color(stageGrey));
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.zoomToCursor = true;
    this.controls.mouseButtons = { LEFT: THREE.MOUSE.ROTATE, MIDDLE: THREE.MOUSE.PAN, RIGHT: THREE.MOUSE.ROTATE };
    this.controls.addEventListener("change", () => {
      this.fitDepths();
      this.redraw();
    });
    this.dots = new THREE.Points(
      new THREE.BufferGeometry(),
      new THREE.RawShaderMaterial({
        glslVersion: THREE.GLSL3,
        uniforms: { size: { value: 4 * this.renderer.getPixelRatio() } },
        vertexShader: /* glsl */ `in vec3 position; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; uniform float size;
          void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); gl_PointSize = size; }`,
        fragmentShader: /* glsl */ `precision highp float; out vec4 pixel;
          void main() { float r = length(gl_PointCoord - 0.5); if (r > 0.5) discard; pixel = vec4(vec3(r < 0.3 ? 1.0 : 0.12), 1.0); }`,
      }),
    );
    this.dots.frustumCulled = false;
    this.dots.visible = false;
    this.scene.add(this.dots);
    this.sizes = new ResizeObserver(() => this.resize());
    this.sizes.observe(canvas.parentElement ?? canvas);
    this.resize();
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
    this.scene.add(surface.object);
    // The camera is set once, for the first part; later ones do not move it.
    if (!this.framed) this.frame();
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
      this.renderer.render(this.scene, this.camera);
    });
  }

  /** Brings all parts into view, from the side they are seen from. */
  frame() {
    const all = this.bounds();
    if (!all) return;
    const sight = this.framed
      ? this.camera.position.clone().sub(this.controls.target).normalize()
      : new THREE.Vector3(0.25, 0.42, 1).normalize();
    this.framed = true;
    const narrow = Math.min(1, this.camera.aspect);
    const distance = all.radius / Math.sin(((this.camera.fov / 2) * Math.PI) / 180) / narrow;
    this.controls.target.copy(all.center);
    this.camera.position.copy(all.center).addScaledVector(sight, distance * 1.06);
    this.controls.update();
    this.fitDepths();
    this.redraw();
  }

  /** Turns or moves closer by keys. Angles in radians; zoom as a factor of the distance. */
  turn(around: number, over: number, zoom = 1) {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const spherical = new THREE.Spherical().setFromVector3(offset);
    spherical.theta += around;
    spherical.phi = Math.min(Math.PI - 0.01, Math.max(0.01, spherical.phi + over));
    spherical.radius *= zoom;
    this.camera.position.setFromSpherical(spherical).add(this.controls.target);
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
    const forward = this.camera.getWorldDirection(new THREE.Vector3());
    return { kind: "perspective", eye: this.camera.position.toArray(), forward: forward.toArray() };
  }

  sample(x: number, y: number, held = false): Sample {
    const { origin, direction } = this.ray(x, y);
    return { origin: origin.toArray(), direction: direction.toArray(), held };
  }

  /** Where a point is on the page. */
  onPage(point: THREE.Vector3): { x: number; y: number } {
    const box = this.canvas.getBoundingClientRect();
    const seen = point.clone().project(this.camera);
    return { x: box.left + ((seen.x + 1) / 2) * box.width, y: box.top + ((1 - seen.y) / 2) * box.height };
  }

  /** Dots on the elements a dab would cover, or on every so many where they lie close; null takes
   * them away. */
  showFootprint(frame: FootprintFrame | null, radiusPixels = 0) {
    const surface = frame && this.surfaces.get(frame.part);
    const was = this.dots.visible;
    this.dots.visible = false;
    if (frame && surface && frame.indices.length > 0) {
      const step = Math.ceil(frame.indices.length / ((Math.PI * radiusPixels ** 2) / PIXELS_PER_DOT + 8));
      const points = new Float32Array(3 * Math.ceil(frame.indices.length / step));
      const point = new THREE.Vector3();
      for (let i = 0; i * step < frame.indices.length; i++) {
        surface.place(frame.set, frame.indices[i * step] ?? 0, point).toArray(points, 3 * i);
      }
      this.dots.geometry.dispose();
      this.dots.geometry = new THREE.BufferGeometry().setAttribute("position", new THREE.BufferAttribute(points, 3));
      this.dots.visible = true;
    }
    if (was || this.dots.visible) this.redraw();
  }

  private bounds(): THREE.Sphere | null {
    let all: THREE.Sphere | null = null;
    for (const surface of this.surfaces.values()) {
      if (all) all.union(surface.bounds);
      else all = surface.bounds.clone();
    }
    return all;
  }

  private pixelsPerUnit(point: THREE.Vector3): number {
    const depth = point.clone().sub(this.camera.position).dot(this.camera.getWorldDirection(new THREE.Vector3()));
    return this.canvas.clientHeight / 2 / Math.tan(((this.camera.fov / 2) * Math.PI) / 180) / depth;
  }

  /** Near and far planes hug what is there, for the sake of depth precision. */
  private fitDepths() {
    const all = this.bounds();
    if (!all) return;
    const distance = this.camera.position.distanceTo(all.center);
    this.camera.near = Math.max(distance - 1.2 * all.radius, all.radius / 500);
    this.camera.far = distance + 1.5 * all.radius;
    this.camera.updateProjectionMatrix();
  }

  private resize() {
    const room = this.canvas.parentElement;
    if (!room) return;
    const [width, height] = [Math.max(1, room.clientWidth), Math.max(1, room.clientHeight)];
    this.renderer.setSize(width, height, false);
    this.canvas.style.width = `${width}px`;
    this.canvas.style.height = `${height}px`;
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.redraw();
  }
}
