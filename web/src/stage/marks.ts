// What is drawn over the parts: dots of a footprint, places to look at, the edges of a solid.
import * as THREE from "three";
import type { Schemas } from "../api/client";
import type { FootprintFrame } from "../live/frames";
import type { Surface } from "./surface";

/** Pixels of the circle for each dot of a footprint: more dots would hide what they lie on. */
const PIXELS_PER_DOT = 36;

/** A picture, and the places of its four corners: from where it begins below, to the left. */
export interface Sheet {
  picture: string;
  corners: readonly number[];
}

type Dots = THREE.Points<THREE.BufferGeometry, THREE.RawShaderMaterial>;

/** Round dots, so many pixels wide, `lifted` off the surface that they lie on; `color` is GLSL of the distance `r` from their middle, up to 0.5. */
function dotsOf(scene: THREE.Scene, size: number, color: string, lifted = 0): Dots {
  const points = new THREE.Points(
    new THREE.BufferGeometry(),
    new THREE.RawShaderMaterial({
      glslVersion: THREE.GLSL3,
      uniforms: { size: { value: size } },
      vertexShader: /* glsl */ `in vec3 position; uniform mat4 modelViewMatrix; uniform mat4 projectionMatrix; uniform float size;
        void main() { gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); gl_Position.z -= ${lifted.toFixed(6)} * gl_Position.w; gl_PointSize = size; }`,
      fragmentShader: /* glsl */ `precision highp float; out vec4 pixel;
        void main() { float r = length(gl_PointCoord - 0.5); if (r > 0.5) discard; pixel = vec4(${color}, 1.0); }`,
    }),
  );
  points.frustumCulled = false;
  points.visible = false;
  scene.add(points);
  return points;
}

const HERE = new THREE.Matrix4();

export class Marks {
  private readonly dots: Dots;
  private readonly places: Dots;
  private readonly seam: Dots;
  private readonly sheet = new THREE.Mesh(
    new THREE.BufferGeometry(),
    new THREE.MeshBasicMaterial({ transparent: true, alphaTest: 0.5, side: THREE.DoubleSide }),
  );
  /** The picture that is asked for: an older one that comes late is not shown. */
  private asked: string | null = null;
  /** The edges of a solid that is being placed. */
  private readonly solid = new THREE.LineSegments(
    new THREE.BufferGeometry(),
    new THREE.LineBasicMaterial({ color: 0xd9512c, depthTest: false }),
  );

  constructor(scene: THREE.Scene, pixelRatio: number) {
    this.dots = dotsOf(scene, 4 * pixelRatio, "vec3(r < 0.3 ? 1.0 : 0.12)");
    // Places to look at shine through what is in front of them.
    this.places = dotsOf(scene, 9 * pixelRatio, "r < 0.32 ? vec3(0.85, 0.32, 0.17) : vec3(1.0)");
    this.places.material.depthTest = false;
    this.places.renderOrder = 2;
    // The seam is seen from the side that it is on.
    this.seam = dotsOf(scene, 4.5 * pixelRatio, "vec3(0.85, 0.32, 0.17)", 0.0015);
    this.sheet.frustumCulled = false;
    this.sheet.visible = false;
    this.sheet.geometry.setAttribute("uv", new THREE.Float32BufferAttribute([0, 0, 1, 0, 1, 1, 0, 1], 2));
    this.sheet.geometry.setIndex([0, 1, 2, 0, 2, 3]);
    scene.add(this.sheet);
    this.solid.frustumCulled = false;
    this.solid.visible = false;
    this.solid.renderOrder = 3;
    scene.add(this.solid);
  }

  /** Draws the edges of a solid; null takes them away. */
  showSolid(region: Schemas["Region"] | null) {
    this.solid.visible = region?.type === "solid";
    if (region?.type === "solid") {
      const shapes = {
        box: () => new THREE.BoxGeometry(2, 2, 2),
        cylinder: () => new THREE.CylinderGeometry(1, 1, 2, 24),
        sphere: () => new THREE.SphereGeometry(1, 16, 10),
        cone: () => new THREE.ConeGeometry(1, 2, 24),
      };
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
  }

  /** Dots on the elements a dab would cover, or on every so many where they lie close; null takes
   * them away; `beside` adds to those that are there. Says whether there is anything to draw anew. */
  showFootprint(frame: FootprintFrame | null, surface: Surface | null, radiusPixels: number, beside: boolean): boolean {
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
      const before =
        beside && this.dots.visible
          ? ((this.dots.geometry.getAttribute("position")?.array ?? []) as Float32Array)
          : new Float32Array();
      const points = new Float32Array(before.length + own.length);
      points.set(before);
      points.set(own, before.length);
      this.dots.geometry.dispose();
      this.dots.geometry = new THREE.BufferGeometry().setAttribute("position", new THREE.BufferAttribute(points, 3));
      this.dots.visible = true;
    }
    return was || this.dots.visible;
  }

  /** Lays a picture on a plane; null takes it away. `drawn` is told when it is there. */
  showSheet(sheet: Sheet | null, drawn: () => void) {
    this.asked = sheet?.picture ?? null;
    if (!sheet) {
      this.sheet.visible = false;
      return;
    }
    new THREE.TextureLoader().load(sheet.picture, (texture) => {
      if (this.asked !== sheet.picture) {
        texture.dispose();
        return;
      }
      texture.magFilter = THREE.NearestFilter;
      texture.generateMipmaps = false;
      texture.minFilter = THREE.LinearFilter;
      this.sheet.material.map?.dispose();
      this.sheet.material.map = texture;
      this.sheet.material.needsUpdate = true;
      this.sheet.geometry.setAttribute("position", new THREE.Float32BufferAttribute(sheet.corners, 3));
      this.sheet.visible = true;
      drawn();
    });
  }

  /** Draws the seam of a print, a place for each layer; no places take it away. */
  showSeam(places: readonly number[]) {
    this.seam.geometry.dispose();
    this.seam.geometry = new THREE.BufferGeometry().setAttribute(
      "position",
      new THREE.Float32BufferAttribute(places, 3),
    );
    this.seam.visible = places.length > 0;
  }

  /** Marks places on a part, or of the project where there is none; no places take the marks away. */
  showPlaces(surface: Surface | null, places: ArrayLike<number>) {
    this.places.visible = false;
    this.places.geometry.dispose();
    if (places.length > 0) {
      const points = Float32Array.from(places);
      const point = new THREE.Vector3();
      for (let i = 0; i < points.length; i += 3)
        point
          .fromArray(points, i)
          .applyMatrix4(surface?.object.matrix ?? HERE)
          .toArray(points, i);
      this.places.geometry = new THREE.BufferGeometry().setAttribute("position", new THREE.BufferAttribute(points, 3));
      this.places.visible = true;
    }
  }
}
