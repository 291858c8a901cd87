// Volumes on the stage: see-through shapes with their edges, each in the color of its swatch.
import * as THREE from "three";
import type { Schemas } from "../api/client";
import { matrixOf } from "./grip";
import type { Surface } from "./surface";

export interface ShownVolume {
  volume: Schemas["ColorVolume"];
  /** As it is shown, R, G and B from 0 to 1. */
  color: readonly [number, number, number];
}

/** One volume on the stage, and what it was made for. */
interface Shown {
  key: string;
  body: THREE.Mesh<THREE.BufferGeometry, THREE.MeshBasicMaterial>;
  edges: THREE.LineSegments<THREE.BufferGeometry, THREE.LineBasicMaterial>;
}

/** Edges bent by less than this many degrees are not drawn. */
const SMOOTH = 20;

const shapes = {
  box: () => new THREE.BoxGeometry(2, 2, 2),
  cylinder: () => new THREE.CylinderGeometry(1, 1, 2, 48),
  sphere: () => new THREE.SphereGeometry(1, 48, 24),
  cone: () => new THREE.ConeGeometry(1, 2, 48),
};

export class Volumes {
  private readonly shown = new Map<number, Shown>();

  constructor(private readonly scene: THREE.Scene) {}

  show(volumes: ShownVolume[], inHand: number | null, surfaces: Map<number, Surface>) {
    const ids = new Set(volumes.map(({ volume }) => volume.id));
    for (const [id, own] of this.shown) if (!ids.has(id)) this.drop(id, own);
    for (const { volume, color } of volumes) {
      const id = volume.id ?? 0;
      const own = this.made(volume, surfaces);
      if (!own) continue;
      own.body.material.color.setRGB(...color);
      own.body.material.opacity = volume.off ? 0.06 : id === inHand ? 0.3 : 0.16;
      own.edges.material.color.set(id === inHand ? 0xd9512c : 0x4a4853);
      own.edges.material.opacity = volume.off ? 0.35 : 1;
      this.stand(id, matrixOf(volume.transform));
    }
  }

  /** The middle of one's box, in the project. */
  middle(id: number): THREE.Vector3 {
    const own = this.shown.get(id);
    if (!own) return new THREE.Vector3();
    own.body.geometry.computeBoundingBox();
    const box = own.body.geometry.boundingBox ?? new THREE.Box3();
    return box.getCenter(new THREE.Vector3()).applyMatrix4(own.body.matrix);
  }

  stand(id: number, matrix: number[]) {
    const own = this.shown.get(id);
    for (const object of own ? [own.body, own.edges] : []) {
      object.matrix.fromArray(matrix);
      object.matrixWorldNeedsUpdate = true;
    }
  }

  private made(volume: Schemas["ColorVolume"], surfaces: Map<number, Surface>): Shown | null {
    const id = volume.id ?? 0;
    const { shape } = volume;
    const surface = shape.kind === "part" ? surfaces.get(shape.part) : undefined;
    const key = shape.kind === "part" ? `part ${surface?.object.geometry.uuid}` : shape.solid;
    const own = this.shown.get(id);
    if (own?.key === key) return own;
    if (own) this.drop(id, own);
    if (shape.kind === "part" && !surface) return null;
    const geometry = shape.kind === "part" ? bodyOf(surface) : shapes[shape.solid]();
    const body = new THREE.Mesh(
      geometry,
      new THREE.MeshBasicMaterial({ transparent: true, depthWrite: false, side: THREE.DoubleSide }),
    );
    const outline =
      shape.kind === "solid" && shape.solid === "sphere" ? hoops() : new THREE.EdgesGeometry(geometry, SMOOTH);
    const edges = new THREE.LineSegments(outline, new THREE.LineBasicMaterial({ transparent: true }));
    body.renderOrder = 1;
    edges.renderOrder = 2;
    for (const object of [body, edges]) {
      object.matrixAutoUpdate = false;
      object.frustumCulled = false;
      this.scene.add(object);
    }
    const made = { key, body, edges };
    this.shown.set(id, made);
    return made;
  }

  private drop(id: number, { body, edges }: Shown) {
    for (const object of [body, edges]) {
      this.scene.remove(object);
      object.geometry.dispose();
      object.material.dispose();
    }
    this.shown.delete(id);
  }
}

/** The shape of a part in its own numbers. */
function bodyOf(surface: Surface | undefined): THREE.BufferGeometry {
  const body = new THREE.BufferGeometry();
  const from = surface?.object.geometry;
  const places = from?.getAttribute("position");
  if (places) body.setAttribute("position", places.clone());
  if (from?.index) body.setIndex(from.index.clone());
  return body;
}

/** A ball has no edges: three hoops about its axes. */
function hoops(): THREE.BufferGeometry {
  const sides = 64;
  const points: number[] = [];
  for (const [a, b] of [
    [0, 1],
    [1, 2],
    [2, 0],
  ] as const) {
    for (let i = 0; i < sides; i++)
      for (const angle of [i, i + 1].map((step) => (2 * Math.PI * step) / sides)) {
        const point = [0, 0, 0];
        point[a] = Math.cos(angle);
        point[b] = Math.sin(angle);
        points.push(...point);
      }
  }
  return new THREE.BufferGeometry().setAttribute("position", new THREE.Float32BufferAttribute(points, 3));
}
