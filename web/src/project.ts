// An open project: what the live socket says goes to the stage and to the state, and back.
import { Live } from "./live/socket";
import type { Schemas } from "./api/client";
import type { Stage } from "./stage/stage";
import { Surface } from "./stage/surface";
import { activePart, get, remember, set, takeOutline, targetSet } from "./state";

export class Project {
  private readonly live: Live;
  private awaitingFootprint = false;
  private strokeUnderWay = false;
  /** Radius on screen of the circle last asked about. */
  private ringPixels = 0;

  constructor(
    id: number,
    readonly stage: Stage,
  ) {
    this.live = new Live(id, {
      lost: () => {
        this.strokeUnderWay = false;
        this.awaitingFootprint = false;
        set({ connected: false, unsaved: 0 });
      },
      message: (message) => this.hear(message),
      frame: (frame) => {
        if (frame.kind === "geometry") {
          stage.add(frame.part, new Surface(frame));
          this.refreshLook();
          return;
        }
        const surface = stage.surfaces.get(frame.part);
        if (!surface) return;
        if (frame.kind === "values") {
          const part = get().parts.find((candidate) => candidate.id === frame.part);
          const placement = part?.sets.find((candidate) => candidate.id === frame.set)?.placement;
          if (placement) surface.take(frame.set, placement, frame.values);
          this.refreshLook();
        } else if (frame.kind === "patch") {
          surface.patch(frame.set, frame.indices, frame.values);
          stage.redraw();
        } else {
          this.awaitingFootprint = false;
          if (this.strokeUnderWay) return;
          stage.showFootprint(frame, this.ringPixels);
          set({ covered: frame.indices.length });
        }
      },
    });
  }

  close() {
    this.live.close();
  }

  private hear(message: Schemas["ServerMessage"]) {
    switch (message.type) {
      case "hello":
        this.stage.clear();
        set({ project: message.name, history: message.history, figures: {}, unsaved: 0, connected: true });
        takeOutline(message.outline.parts);
        break;
      case "outline": {
        const parts = message.outline.parts;
        for (const id of this.stage.surfaces.keys()) {
          if (!parts.some((part) => part.id === id)) this.stage.remove(id);
        }
        takeOutline(parts);
        this.refreshLook();
        break;
      }
      case "figures":
        set({ figures: { ...get().figures, [message.set]: message.channels } });
        break;
      case "kept":
        set({ history: message.history, unsaved: 0 });
        break;
      case "nothing":
        set({ unsaved: 0 });
        break;
      case "refused":
        set({ said: { text: message.message, bad: true }, unsaved: 0 });
        break;
    }
  }

  /** Shows on each part the chosen set, or the one of the same name, or its first. */
  refreshLook() {
    const { parts, part: active, shown, shade } = get();
    const name = parts.find((part) => part.id === active)?.sets.find((candidate) => candidate.id === shown)?.name;
    for (const part of parts) {
      const surface = this.stage.surfaces.get(part.id);
      const wanted =
        part.id === active ? shown : (part.sets.find((candidate) => candidate.name === name) ?? part.sets[0])?.id;
      surface?.show(wanted != null && surface.has(wanted) ? wanted : null);
      surface?.light(shade === "lit");
    }
    this.stage.redraw();
  }

  undo() {
    this.live.say({ type: "undo" });
  }

  redo() {
    this.live.say({ type: "redo" });
  }

  /** Asks what a dab here would cover; asks again only when the last answer is in. */
  hover(x: number, y: number, pixelsPerUnit: number) {
    const { part, target, brush } = get();
    if (this.awaitingFootprint || this.strokeUnderWay || part === null || target === null) return;
    const { stage } = this;
    const said = this.live.say({
      type: "hover", part, set: target, radius: brush.radius, view: stage.view(), sample: stage.sample(x, y),
    });
    this.awaitingFootprint = said;
    this.ringPixels = brush.radius * pixelsPerUnit;
  }

  /** Puts the brush down; says why when it cannot. */
  beginStroke(x: number, y: number): boolean {
    const state = get();
    const part = activePart(state);
    const target = targetSet(state);
    const trouble = !part || !target
      ? "This part has no color set yet: add one on the channel board, then paint."
      : state.channels.every((chosen) => !chosen)
        ? "No channel is chosen: choose R, G, B or A on the channel board."
        : state.connected !== true
          ? "The server is not connected: painting goes on when it is back."
          : null;
    if (trouble || !part || !target) {
      set({ said: { text: trouble ?? "", bad: true } });
      return false;
    }
    this.strokeUnderWay = this.live.say({
      type: "stroke_begin",
      start: {
        part: part.id, set: target.id, channels: state.channels, paint: state.paint, brush: state.brush, view: this.stage.view(),
      },
    });
    if (!this.strokeUnderWay) return false;
    set({ unsaved: state.unsaved + 1 });
    remember(state.paint);
    this.stage.showFootprint(null);
    this.moveStroke([[x, y]]);
    return true;
  }

  moveStroke(points: [number, number][], held = false) {
    if (!this.strokeUnderWay || points.length === 0) return;
    this.live.say({ type: "stroke_move", samples: points.map(([x, y]) => this.stage.sample(x, y, held)) });
  }

  endStroke() {
    if (!this.strokeUnderWay) return;
    this.strokeUnderWay = false;
    this.live.say({ type: "stroke_end" });
  }
}
