// An open project: what the live socket says goes to the stage and to the state, and back.
import { Live } from "./live/socket";
import { api, messageOf, type Schemas } from "./api/client";
import { hand } from "./parts/hand";
import type { Stage } from "./stage/stage";
import { Surface } from "./stage/surface";
import { activePart, get, pourOf, remember, set, takeOutline, targetSet } from "./state";

/** Where the hand is: on the page, and how hard it presses (0–1). */
export interface HandAt {
  x: number;
  y: number;
  pressure: number;
}

/** The dots of a pour's preview are spread as over a circle of this radius on the screen. */
const POUR_PIXELS = 260;

export class Project {
  private readonly live: Live;
  private awaitingFootprint = false;
  private strokeUnderWay = false;
  /** Not all parts have come yet. */
  private opening = true;
  /** Radius on screen of the circle last asked about. */
  private ringPixels = 0;

  constructor(
    readonly id: number,
    readonly stage: Stage,
  ) {
    this.live = new Live(id, {
      introduce: () => ({
        type: "join",
        hand,
        // What is on the stage already need not come again.
        held: [...stage.surfaces].map(([part, surface]) => ({ part, mesh: surface.mesh })),
      }),
      lost: () => {
        this.strokeUnderWay = false;
        this.awaitingFootprint = false;
        set({ connected: false, unsaved: 0 });
      },
      message: (message) => this.hear(message),
      frame: (frame) => {
        if (frame.kind === "geometry") {
          const mesh = get().parts.find((part) => part.id === frame.part)?.mesh ?? "";
          stage.add(frame.part, new Surface(frame, mesh));
          this.refreshLook();
          // The camera is set for what a project opens with; parts that come later do not move it.
          if (this.opening || !stage.isFramed) stage.frame();
          this.opening &&= !get().parts.every((part) => stage.surfaces.has(part.id));
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
        } else if (frame.kind === "places") {
          stage.showPlaces(frame.part, frame.places);
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
        set({ project: message.name, history: message.history, figures: {}, unsaved: 0, connected: true });
        this.takeOutline(message.outline);
        break;
      case "outline":
        this.takeOutline(message.outline);
        break;
      case "present":
        set({ hands: message.hands });
        break;
      case "renamed":
        set({ project: message.name });
        break;
      case "gone":
        this.live.close();
        set({ gone: true, connected: false });
        break;
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

  private takeOutline(outline: Schemas["Outline"]) {
    if (outline.parts.length === 0) this.opening = false;
    for (const [id, surface] of this.stage.surfaces) {
      if (!outline.parts.some((part) => part.id === id && part.mesh === surface.mesh)) this.stage.remove(id);
    }
    takeOutline(outline);
    this.refreshLook();
  }

  /** Puts the parts where they stand, and shows on each the chosen set, or the one of the same name, or its first. */
  refreshLook() {
    const { parts, part: active, shown, look, traits } = get();
    const name = parts.find((part) => part.id === active)?.sets.find((candidate) => candidate.id === shown)?.name;
    this.stage.setUp(traits.up);
    for (const part of parts) {
      const surface = this.stage.surfaces.get(part.id);
      if (!surface) continue;
      const same = part.sets.find((candidate) => candidate.name === name) ?? part.sets[0];
      const wanted = part.id === active || shown === null ? shown : same?.id;
      surface.show(wanted != null && surface.has(wanted) ? wanted : null);
      surface.light(look.shade === "lit", look.smoothUpTo);
      surface.showChannel(look.channel);
      surface.stand(part.matrix);
      surface.object.visible = part.visible;
    }
    this.stage.setParallel(look.parallel);
    this.stage.setWire(look.wire);
  }

  undo() {
    this.live.say({ type: "undo" });
  }

  redo() {
    this.live.say({ type: "redo" });
  }

  showSelection(part: number, index: number) {
    this.live.say({ type: "selection", part, index });
  }

  /** Makes an edit; says why when it cannot be made. */
  async edit(edit: Schemas["Edit"]): Promise<boolean> {
    const { error } = await api.POST("/api/v1/projects/{project}/edits", { params: { path: { project: this.id } }, body: edit });
    if (error) set({ said: { text: messageOf(error), bad: true } });
    return !error;
  }

  /** Asks what a dab here would cover; asks again only when the last answer is in. */
  hover(x: number, y: number, ringPixels: number) {
    const { part, target, brush } = get();
    if (this.awaitingFootprint || this.strokeUnderWay || part === null || target === null) return;
    const { stage } = this;
    const said = this.live.say({
      type: "hover", part, set: target, brush: stage.brush(brush), view: stage.view(), sample: stage.sample({ x, y, pressure: 1 }),
    });
    this.awaitingFootprint = said;
    this.ringPixels = ringPixels;
  }

  /** What a pour at a place is made with; null when there is nothing to pour into. */
  private pourAt(x: number, y: number): Schemas["PourStart"] | null {
    const state = get();
    const part = activePart(state);
    if (!part || state.target === null) return null;
    return {
      part: part.id, set: state.target, channels: state.channels, action: state.action, blend: state.blend, paint: state.paint,
      opacity: state.brush.opacity, pour: pourOf(state.pour, part), at: this.stage.sample({ x, y, pressure: 1 }),
    };
  }

  /** Asks what a pour here would cover; asks again only when the last answer is in. */
  hoverPour(x: number, y: number) {
    const start = this.pourAt(x, y);
    if (this.awaitingFootprint || !start) return;
    this.awaitingFootprint = this.live.say({ type: "pour_hover", start });
    this.ringPixels = POUR_PIXELS;
  }

  async pour(x: number, y: number) {
    const start = this.pourAt(x, y);
    const trouble = this.whyNotPaint();
    if (!start || trouble) {
      set({ said: { text: trouble ?? "", bad: true } });
      return;
    }
    if (start.action === "paint") remember(get().paint);
    this.stage.showFootprint(null);
    await this.edit({ type: "pour", start });
  }

  /** Why nothing can be painted now; null when all is well. */
  private whyNotPaint(): string | null {
    const state = get();
    const part = activePart(state);
    const target = targetSet(state);
    return !part || !target
      ? "This part has no color set yet: add one on the channel board, then paint."
      : state.channels.every((chosen) => !chosen)
        ? "No channel is chosen: choose R, G, B or A on the channel board."
        : state.connected !== true
          ? "The server is not connected: painting goes on when it is back."
          : part.locked
            ? `${part.name} is locked: unlock it in Gather first.`
            : null;
  }

  /** Puts the brush down; says why when it cannot. */
  beginStroke(at: HandAt): boolean {
    const state = get();
    const part = activePart(state);
    const target = targetSet(state);
    const trouble = this.whyNotPaint();
    if (trouble || !part || !target) {
      set({ said: { text: trouble ?? "", bad: true } });
      return false;
    }
    this.strokeUnderWay = this.live.say({
      type: "stroke_begin",
      start: {
        part: part.id, set: target.id, channels: state.channels, action: state.action, blend: state.blend, paint: state.paint,
        brush: this.stage.brush(state.brush), view: this.stage.view(),
      },
    });
    if (!this.strokeUnderWay) return false;
    set({ unsaved: state.unsaved + 1 });
    if (state.action === "paint") remember(state.paint);
    this.stage.showFootprint(null);
    this.moveStroke([at]);
    return true;
  }

  moveStroke(points: HandAt[], held = false) {
    if (!this.strokeUnderWay || points.length === 0) return;
    this.live.say({ type: "stroke_move", samples: points.map((at) => this.stage.sample(at, held)) });
  }

  endStroke() {
    if (!this.strokeUnderWay) return;
    this.strokeUnderWay = false;
    this.live.say({ type: "stroke_end" });
  }
}
