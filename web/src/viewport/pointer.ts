// The hand on the stage: what the pointer does there, tool by tool.
import { held as heldKeys, scaleRadius } from "../project/keys";
import type { Project } from "../project/project";
import type { HandAt } from "../stage/handAt";
import { choosePart, get, intoSet, isSwatches, set, setBrush, setStencil, useApp } from "../model/state";
import { isRound } from "../model/toolWords";
import { SpanDrag, type Point } from "./span";
import type { Stage, Under } from "../stage/stage";

const HELD_EVERY_MS = 50;
const MOST_PROBES_MS = 30;
/** Pixels of a sideways move that double the radius, or run through all of opacity or hardness. */
const GESTURE_PIXELS = 160;

export interface Ring {
  x: number;
  y: number;
  radius: number;
}

/** Radius of the brush's circle on the screen. */
function ringPixels(under: Under): number {
  const { brush } = get();
  return brush.on_screen ? brush.pixels : brush.radius * under.pixelsPerUnit;
}

/** A number of the brush that a held key lets the pointer change, from where the pointer was. */
interface Gesture {
  key: string;
  x: number;
  y: number;
  pixelsPerUnit: number;
}

export function followHand(
  canvas: HTMLCanvasElement,
  stage: Stage,
  project: Project,
  ring: (ring: Ring | null) => void,
  outline: (points: Point[]) => void,
) {
  let painting = false;
  let last: HandAt = { x: 0, y: 0, pressure: 1 };
  let queued: HandAt[] = [];
  let flush = 0;
  let held = 0;
  let probed = 0;
  let gesture: Gesture | null = null;
  let lastX = 0;
  let lastY = 0;
  let at = { x: 0, y: 0 };
  let pressed: { x: number; y: number } | null = null;
  let span: SpanDrag | null = null;
  /** The pointer that paints or spans; other fingers do not take part. */
  let own: number | null = null;
  const isOther = (event: PointerEvent) => own !== null && event.pointerId !== own;

  const handAt = (event: PointerEvent): HandAt => ({
    x: event.clientX,
    y: event.clientY,
    // A mouse cannot tell; it counts as pressed fully.
    pressure: event.pointerType === "pen" ? event.pressure : 1,
  });
  const show = (under: Under | null, x: number, y: number) => {
    const box = canvas.getBoundingClientRect();
    const state = get();
    const paints =
      state.area === "paint" &&
      intoSet(state) !== undefined &&
      (under === null || under.part === state.part || state.allParts);
    const visible = under && paints;
    const round = visible && isRound(state) && !state.picking && !state.placing && !stage.grip.isUnder;
    ring(round ? { x: x - box.left, y: y - box.top, radius: ringPixels(under) } : null);
    const lassoes = state.area === "paint" && state.tool === "span" && state.span.kind === "lasso";
    canvas.style.cursor = round
      ? "none"
      : visible || ((state.picking || state.placing) && under) || lassoes
        ? "crosshair"
        : state.area === "gather" && under
          ? "pointer"
          : "grab";
  };
  const probe = (under: Under | null, x: number, y: number) => {
    const surface = under && stage.surfaces.get(under.part);
    if (!under || !surface) {
      set({ probe: null, paneValues: [] });
      if (!get().spanReady) project.endFootprint();
      return;
    }
    const [a, b, c] = under.vertices.map((vertex) => surface.position(vertex));
    if (!a || !b || !c) return;
    const nearest = [a, b, c].map((point) => point.distanceTo(under.point));
    const vertex = under.vertices[nearest.indexOf(Math.min(...nearest))] ?? 0;
    const state = get();
    const { parts, part: active } = state;
    const shown = surface.shownSet;
    if (get().listing && shown !== null) project.askCorners(under.part, shown, vertex);
    const several = state.area === "proof" && state.panes.layout !== "one";
    set({
      paneValues: several ? project.looks.valuesIn(surface, under, vertex, x, y) : [],
      probe: {
        part: parts.find((part) => part.id === under.part)?.name ?? "",
        isActive: under.part === active,
        vertex,
        value: shown === null ? null : surface.valueAt(shown, under, vertex),
        edge: (a.distanceTo(b) + b.distanceTo(c) + c.distanceTo(a)) / 3,
      },
    });
  };
  /** True while a held key turns the move into a change of the brush; the circle stays where it was. */
  const gestured = (event: PointerEvent): boolean => {
    const key = ["r", "o", "h", "s", "z", "y"].find((each) => heldKeys.has(each));
    const ofStencil = key !== undefined && "szy".includes(key);
    if (!key || get().area !== "paint" || painting || (ofStencil && get().stencil === null)) {
      gesture = null;
      return false;
    }
    if (gesture?.key !== key) {
      const under = stage.under(event.clientX, event.clientY);
      gesture = { key, x: event.clientX, y: event.clientY, pixelsPerUnit: under?.pixelsPerUnit ?? 1 };
      lastX = event.clientX;
      lastY = event.clientY;
    }
    const by = (event.clientX - lastX) / GESTURE_PIXELS;
    const moved = { x: event.clientX - lastX, y: event.clientY - lastY };
    lastX = event.clientX;
    lastY = event.clientY;
    const { stencil } = get();
    if (ofStencil && stencil) {
      if (key === "s") setStencil({ at: { x: stencil.at.x + moved.x, y: stencil.at.y + moved.y } });
      else if (key === "y") setStencil({ turn: (stencil.turn + by * 90) % 360 });
      else setStencil({ width: { ...stencil.width, [stencil.lay]: stencil.width[stencil.lay] * 2 ** by } });
      return true;
    }
    const { brush } = get();
    const unit = (value: number) => Math.min(1, Math.max(0, value));
    if (key === "r") scaleRadius(2 ** by);
    else if (key === "o") setBrush({ opacity: unit(brush.opacity + by) });
    else setBrush({ hardness: unit(brush.hardness + by) });
    const box = canvas.getBoundingClientRect();
    const now = get().brush;
    const radius = now.on_screen ? now.pixels : now.radius * gesture.pixelsPerUnit;
    ring({ x: gesture.x - box.left, y: gesture.y - box.top, radius });
    return true;
  };
  const send = () => {
    flush = 0;
    project.moveStroke(queued);
    queued = [];
  };

  /** The second button paints with the second swatch. */
  const isSecond = (event: PointerEvent) =>
    event.button === 2 && get().area === "paint" && get().tool !== "tidy" && get().into === "set" && isSwatches(get());
  const down = (event: PointerEvent) => {
    if (isOther(event)) {
      event.stopImmediatePropagation();
      return;
    }
    // A field is left before the stroke begins, so that what was typed counts for it.
    if (document.activeElement instanceof HTMLInputElement || document.activeElement instanceof HTMLTextAreaElement)
      document.activeElement.blur();
    // The camera takes what the brush does not: everything beside the model, and the other buttons.
    stage.eye.controls.enabled = true;
    pressed = { x: event.clientX, y: event.clientY };
    const second = isSecond(event);
    if (event.button !== 0 && !second) return;
    if (heldKeys.has("p")) {
      stage.eye.controls.enabled = false;
      const under = stage.under(event.clientX, event.clientY);
      if (under) choosePart(under.part);
      return;
    }
    const state = get();
    if (state.area !== "paint") return;
    // A drag turns the model still.
    if (state.placing || stage.grip.isUnder) return;
    const under = stage.under(event.clientX, event.clientY);
    if (state.picking) {
      if (!under) return;
      stage.eye.controls.enabled = false;
      pick(under);
      return;
    }
    const isOn = under !== null && (under.part === state.part || state.allParts);
    if (second && (!isOn || state.tool === "span")) return;
    if (state.tool === "span") {
      if (!isOn && state.span.kind !== "lasso") return;
      stage.eye.controls.enabled = false;
      own = event.pointerId;
      canvas.setPointerCapture(event.pointerId);
      span = new SpanDrag(stage, event, under?.point ?? null);
      return;
    }
    if (!isOn) return;
    // A pour is made by a click; a drag from the model still turns it.
    if (state.tool === "pour") return;
    stage.eye.controls.enabled = false;
    last = handAt(event);
    if (!project.beginStroke(last, second)) return;
    painting = true;
    own = event.pointerId;
    canvas.setPointerCapture(event.pointerId);
    held = window.setInterval(() => {
      if (get().brush.build_up === "held" && queued.length === 0) project.moveStroke([last], true);
    }, HELD_EVERY_MS);
  };
  // What the pointer rests on may have changed under it, by its own stroke or another hand's.
  const stopProbing = useApp.subscribe((now, before) => {
    if (now.history.revision !== before.history.revision && now.probe && !painting)
      probe(stage.under(at.x, at.y), at.x, at.y);
  });
  const move = (event: PointerEvent) => {
    if (isOther(event)) return;
    at = { x: event.clientX, y: event.clientY };
    if (span) {
      ring(null);
      outline(span.move(event));
      if (event.timeStamp - probed > MOST_PROBES_MS && get().span.kind !== "lasso") {
        probed = event.timeStamp;
        project.hoverFill(null);
      }
      return;
    }
    if (gestured(event)) return;
    if (event.buttons !== 0 && !painting) {
      ring(null);
      if (!get().spanReady) project.endFootprint();
      return;
    }
    const under = stage.under(event.clientX, event.clientY);
    show(under, event.clientX, event.clientY);
    if (painting) {
      const all = event.getCoalescedEvents();
      for (const each of all.length > 0 ? all : [event]) queued.push(handAt(each));
      last = handAt(event);
      flush ||= requestAnimationFrame(send);
      return;
    }
    if (event.timeStamp - probed < MOST_PROBES_MS) return;
    probed = event.timeStamp;
    probe(under, event.clientX, event.clientY);
    const state = get();
    if (state.area === "paint" && state.tool === "span") {
      if (!state.spanReady) project.endFootprint();
    } else if (under && state.area === "paint" && under.part === state.part && !state.picking) {
      const hand = { x: event.clientX, y: event.clientY, pressure: 1 };
      if (state.tool === "pour") project.hoverFill(hand);
      else project.hover(hand, ringPixels(under));
    } else project.endFootprint();
  };
  const up = (event: PointerEvent) => {
    if (isOther(event)) return;
    own = null;
    // In Gather a click, not a drag, chooses the part.
    const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 4;
    const { placing } = get();
    if (still && event.button === 0 && placing) {
      const under = stage.under(event.clientX, event.clientY);
      const isMeant = under !== null && (placing.onAny || under.part === get().part);
      const surface = isMeant ? stage.surfaces.get(under.part) : undefined;
      if (under && surface) {
        const { x, y, z } = surface.object.worldToLocal(under.point.clone());
        if (!placing.isMany) set({ placing: null });
        placing.take([x, y, z], under.part, under.point.toArray(), stage.normalAt(under).toArray());
      }
    } else if (still && event.button === 0 && get().area === "gather" && !stage.grip.isUnder) {
      const under = stage.under(event.clientX, event.clientY);
      if (under) choosePart(under.part);
    }
    const second = isSecond(event);
    if (still && (event.button === 0 || second) && get().area === "paint" && get().tool === "pour" && !get().picking) {
      const under = stage.under(event.clientX, event.clientY);
      if (under?.part === get().part) void project.fill({ x: event.clientX, y: event.clientY, pressure: 1 }, second);
    }
    pressed = null;
    if (span) {
      outline([]);
      if (span.end(event)) {
        set({ spanReady: true });
        project.hoverFill(null);
      }
      span = null;
      stage.eye.controls.enabled = true;
    }
    if (get().picking && still && event.button === 0) {
      set({ picking: false });
      stage.eye.controls.enabled = true;
    }
    if (!painting) return;
    painting = false;
    window.clearInterval(held);
    cancelAnimationFrame(flush);
    send();
    project.endStroke();
    stage.eye.controls.enabled = true;
  };
  /** Taken away by the system: what was painted stays, but nothing was clicked. */
  const cancel = (event: PointerEvent) => {
    if (!isOther(event)) pressed = null;
    up(event);
  };
  const leave = () => {
    if (painting || span) return;
    ring(null);
    if (!get().spanReady) project.endFootprint();
    set({ probe: null });
  };
  /** Takes the color that is shown under the pointer. */
  const pick = (under: Under) => {
    const surface = stage.surfaces.get(under.part);
    const shown = surface?.shownSet ?? null;
    const vertices = under.vertices.map((vertex) => ({
      vertex,
      away: surface?.position(vertex).distanceTo(under.point) ?? 0,
    }));
    const nearest = vertices.sort((one, other) => one.away - other.away)[0]?.vertex ?? 0;
    const value = surface && shown !== null ? surface.valueAt(shown, under, nearest) : null;
    if (!value) return;
    const encoding = get()
      .parts.flatMap((part) => part.sets)
      .find((each) => each.id === shown)?.encoding;
    const first = get().channels.findIndex(Boolean);
    if (encoding === "swatch") set({ swatch: Math.round(value[0] * 255), action: "paint" });
    else if (encoding === "data") set({ value: value[Math.max(0, first)] ?? 1 });
    else set({ paint: [value[0], value[1], value[2], get().paint[3]] });
  };
  // Before the camera's own listener, which is on the same element.
  canvas.addEventListener("pointerdown", down, { capture: true });
  canvas.addEventListener("pointermove", move);
  canvas.addEventListener("pointerup", up);
  canvas.addEventListener("pointercancel", cancel);
  canvas.addEventListener("pointerleave", leave);
  return () => {
    stopProbing();
    window.clearInterval(held);
    cancelAnimationFrame(flush);
    canvas.removeEventListener("pointerdown", down, { capture: true });
    canvas.removeEventListener("pointermove", move);
    canvas.removeEventListener("pointerup", up);
    canvas.removeEventListener("pointercancel", cancel);
    canvas.removeEventListener("pointerleave", leave);
  };
}
