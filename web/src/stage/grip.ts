// A grip on the stage by which a part is moved, turned and scaled; it says where the part would stand.
import * as THREE from "three";
import { TransformControls } from "three/examples/jsm/controls/TransformControls.js";
import type { Schemas } from "../api/client";
import type { GripMode } from "../model/choices";
import type { Eye } from "./eye";

type Transform = Schemas["Transform"];

/** Told of each move on the way, and of the last one. */
export type OnTurn = (transform: Transform, isLast: boolean) => void;

/** What is held: by what, where it stands, and about which middle. */
export interface Held {
  mode: GripMode;
  transform: Transform;
  middle: THREE.Vector3;
  onTurn: OnTurn;
  /** Turns go in steps of so many degrees; freely when not given. */
  snap?: number;
  /** Whether it is scaled alike along all its axes. */
  even?: boolean;
}

/** Turns about the project's X, then Y, then Z. */
const ORDER = "ZYX";
const MODES = { move: "translate", turn: "rotate", scale: "scale" } as const;

export class Grip {
  private readonly controls: TransformControls;
  private readonly handle = new THREE.Object3D();
  private held: Held | null = null;

  constructor(
    private readonly scene: THREE.Scene,
    private readonly eye: Eye,
    canvas: HTMLCanvasElement,
    redraw: () => void,
  ) {
    this.controls = new TransformControls(eye.camera, canvas);
    this.controls.setColors("#d9512c", "#4f8a3c", "#2f6fb3", "#e2b23c");
    this.controls.addEventListener("change", redraw);
    this.controls.addEventListener("dragging-changed", ({ value }) => {
      this.eye.controls.enabled = !value;
      if (!value) this.tell(true);
    });
    this.controls.addEventListener("objectChange", () => this.tell(false));
    this.handle.rotation.order = ORDER;
    scene.add(this.handle);
  }

  /** Whether the pointer is on it. */
  get isUnder(): boolean {
    return this.held !== null && this.controls.axis !== null;
  }

  get isDragged(): boolean {
    return this.controls.dragging;
  }

  /** Lies on a part, about its middle; null takes it away. */
  hold(on: Held | null) {
    if (this.isDragged) return;
    this.held = on;
    const helper = this.controls.getHelper();
    if (!on) {
      this.controls.detach();
      this.scene.remove(helper);
      return;
    }
    this.controls.camera = this.eye.camera;
    this.controls.setMode(MODES[on.mode]);
    this.controls.setRotationSnap(on.snap ? (on.snap / 180) * Math.PI : null);
    this.controls.setSpace(on.mode === "scale" ? "local" : "world");
    this.handle.position.copy(on.middle);
    this.handle.quaternion.copy(on.mode === "scale" ? turnOf(on.transform) : new THREE.Quaternion());
    this.handle.scale.set(1, 1, 1);
    this.controls.attach(this.handle);
    this.scene.add(helper);
  }

  /** The camera may be another. */
  look() {
    this.controls.camera = this.eye.camera;
  }

  dispose() {
    this.controls.detach();
    this.controls.dispose();
  }

  private tell(isLast: boolean) {
    if (!this.held) return;
    const { mode, transform, middle, onTurn, even } = this.held;
    const at = new THREE.Vector3().fromArray(transform.translation ?? [0, 0, 0]);
    const turn = turnOf(transform);
    const scale = new THREE.Vector3().fromArray(transform.scale ?? [1, 1, 1]);
    const arm = at.clone().sub(middle);
    if (mode === "move") at.add(this.handle.position).sub(middle);
    else if (mode === "turn") {
      at.copy(arm.applyQuaternion(this.handle.quaternion).add(middle));
      turn.premultiply(this.handle.quaternion);
    } else {
      // Nothing becomes flat.
      const by = this.handle.scale.clone().max(new THREE.Vector3(0.01, 0.01, 0.01));
      if (even) by.setScalar(by.toArray().reduce((a, b) => (Math.abs(Math.log(b)) > Math.abs(Math.log(a)) ? b : a)));
      arm.applyQuaternion(turn.clone().invert()).multiply(by).applyQuaternion(turn);
      at.copy(arm.add(middle));
      scale.multiply(by);
    }
    onTurn(
      {
        translation: at.toArray(),
        rotation_degrees: mode === "turn" ? anglesOf(turn) : (transform.rotation_degrees ?? [0, 0, 0]),
        scale: scale.toArray(),
      },
      isLast,
    );
  }
}

/** A turn as degrees about the project's X, then Y, then Z. */
export function anglesOf(turn: THREE.Quaternion): [number, number, number] {
  const angles = new THREE.Euler().setFromQuaternion(turn, ORDER);
  const degrees = (angle: number) => (angle / Math.PI) * 180;
  return [degrees(angles.x), degrees(angles.y), degrees(angles.z)];
}

export function turnOf(transform: Transform): THREE.Quaternion {
  const [x = 0, y = 0, z = 0] = (transform.rotation_degrees ?? [0, 0, 0]).map((degrees) => (degrees / 180) * Math.PI);
  return new THREE.Quaternion().setFromEuler(new THREE.Euler(x, y, z, ORDER));
}

/** The matrix of a transform, column by column. */
export function matrixOf(transform: Transform): number[] {
  const at = new THREE.Vector3().fromArray(transform.translation ?? [0, 0, 0]);
  const scale = new THREE.Vector3().fromArray(transform.scale ?? [1, 1, 1]);
  return new THREE.Matrix4().compose(at, turnOf(transform), scale).toArray();
}
