// Spans drawn on the stage: a drag sets a band, a gradient, a solid or an outline.
import * as THREE from "three";
import { boxOf, directionOf } from "../project/tools";
import { activePart, get, setSpan } from "../model/state";
import type { Stage } from "../stage/stage";

export interface Point {
  x: number;
  y: number;
}

/** The nearest two points of an outline lie so many pixels apart. */
const OUTLINE_PIXELS = 3;

/** A pointer that is down with a span in hand. */
export class SpanDrag {
  private readonly first: THREE.Vector3;
  private readonly outline: Point[];
  private moved = false;

  constructor(
    private readonly stage: Stage,
    private readonly down: Point,
    point: THREE.Vector3 | null,
  ) {
    const part = activePart(get());
    this.first = point?.clone() ?? new THREE.Vector3().fromArray(part ? boxOf(part).center : [0, 0, 0]);
    this.outline = [{ x: down.x, y: down.y }];
  }

  /** Goes on to a place on the page; returns the outline to be drawn there. */
  move(at: Point): Point[] {
    const { span } = get();
    if (!this.moved && Math.hypot(at.x - this.down.x, at.y - this.down.y) < 3) return [];
    this.moved = true;
    if (span.kind === "lasso") return this.drawOutline(at);
    const there = this.stage.eye.beside(at.x, at.y, this.first);
    if (span.kind === "solid") {
      // From the middle out to the pointer.
      const radius = Math.max(there.distanceTo(this.first), 1e-6);
      setSpan({ center: this.first.toArray(), size: [2 * radius, 2 * radius, 2 * radius] });
      return [];
    }
    let direction = new THREE.Vector3().fromArray(directionOf(span));
    if (span.axis === "drawn") {
      direction = there.clone().sub(this.first).normalize();
      setSpan({ direction: direction.toArray() });
    }
    const [from, to] = [this.first.dot(direction), there.dot(direction)];
    setSpan(span.kind === "band" ? { from: Math.min(from, to), to: Math.max(from, to) } : { from, to });
    return [];
  }

  /** Lifts the pointer; true when something was drawn. */
  end(at: Point): boolean {
    if (!this.moved) {
      // A click puts a solid there as it is.
      if (get().span.kind !== "solid") return false;
      setSpan({ center: this.first.toArray() });
      return true;
    }
    this.move(at);
    if (get().span.kind !== "lasso") return true;
    const points = this.closed(at).map((point) => this.stage.eye.onScreen(point.x, point.y));
    if (points.length < 3) return false;
    setSpan({
      drawn: { type: "lasso", screen: this.stage.eye.screen().screen, outline: points, through: get().span.through },
    });
    return true;
  }

  private drawOutline(at: Point): Point[] {
    const last = this.outline[this.outline.length - 1];
    if (last && Math.hypot(at.x - last.x, at.y - last.y) >= OUTLINE_PIXELS) this.outline.push({ x: at.x, y: at.y });
    return this.closed(at);
  }

  private closed(at: Point): Point[] {
    if (get().span.outline === "free") return this.outline;
    const { x, y } = this.down;
    return [
      { x, y },
      { x: at.x, y },
      { x: at.x, y: at.y },
      { x, y: at.y },
    ];
  }
}
