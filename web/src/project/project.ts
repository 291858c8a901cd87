// An open project: what the live socket says goes to the stage and to the state, and back.
import { heardAfter, newPaint } from "./heard";
import type { Frame, FootprintFrame } from "../live/frames";
import { Questions } from "../live/questions";
import { Live } from "../live/socket";
import type { Schemas } from "../api/client";
import { makeEdit, sendStencil } from "../api/writes";
import { hand } from "../api/hand";
import type { HandAt } from "../stage/handAt";
import type { Stage } from "../stage/stage";
import { Surface } from "../stage/surface";
import { get, remember, set, setStencil, takeOutline, targetSet } from "../model/state";
import { REMADE } from "../model/trial";
import { isStroke } from "../model/toolWords";
import { tasteKey } from "../model/recipes";
import { Ahead } from "./ahead";
import { Looks } from "./looks";
import { Recipes } from "./recipes";
import { editAgain, fillOf, inHand, strokeOf, whyNotPaint } from "./tools";

/** The dots of a pour's preview are spread as over a circle of this radius on the screen. */
const POUR_PIXELS = 260;

/** Kinds of questions of which one answer is shown at a time. */
const FOOTPRINT = "footprint";
const PREVIEW = "preview";

export class Project {
  private readonly live: Live;
  private readonly questions = new Questions((message) => this.live.say(message));
  private readonly ahead = new Ahead(this.questions);
  private strokeUnderWay = false;
  /** Not all parts have come yet. */
  private opening = true;
  /** How the server names this connection. */
  client: number | null = null;
  /** What the stage shows of the parts. */
  readonly looks: Looks;
  /** Recipes as they would be. */
  readonly recipes: Recipes;
  /** An adjustment is shown as it would be. */
  private adjusting = false;
  /** The last fill or adjustment, to be made again. */
  private last: Schemas["Edit"] | null = null;

  constructor(
    readonly id: number,
    readonly stage: Stage,
  ) {
    const say = (message: Schemas["ClientMessage"]) => this.live.say(message);
    this.looks = new Looks(id, stage, this.questions, say);
    this.recipes = new Recipes(stage, this.questions, say, () => this.looks.refresh());
    this.live = new Live(id, {
      introduce: () => ({
        type: "join",
        hand,
        // What is on the stage already need not come again.
        held: [...stage.surfaces].map(([part, surface]) => ({ part, mesh: surface.mesh })),
      }),
      expects: () => get().parts.some((part) => !stage.surfaces.has(part.id)),
      lost: () => {
        if (this.strokeUnderWay) {
          set({
            said: {
              text: "The connection broke during this stroke: what had reached the server is kept, the rest has to be painted again.",
              bad: true,
            },
          });
        }
        this.strokeUnderWay = false;
        this.questions.lost();
        this.endFootprint();
        this.endPreview();
        this.recipes.lost();
        this.looks.lost();
        set({ connected: false, unsaved: 0 });
      },
      message: (message) => this.hear(message),
      frame: (frame) => (frame.question > 0 ? this.questions.frame(frame) : this.take(frame)),
    });
  }

  /** What the server tells unasked. */
  private take(frame: Frame) {
    const { stage } = this;
    if (frame.kind === "geometry") {
      const mesh = get().parts.find((part) => part.id === frame.part)?.mesh ?? "";
      stage.add(frame.part, new Surface(frame, mesh));
      this.looks.refresh();
      // The camera is set for what a project opens with; parts that come later do not move it.
      if (this.opening || !stage.eye.isFramed) stage.eye.frame();
      this.opening &&= !get().parts.every((part) => stage.surfaces.has(part.id));
      return;
    }
    const surface = stage.surfaces.get(frame.part);
    if (!surface) return;
    if (frame.kind === "values") {
      const part = get().parts.find((candidate) => candidate.id === frame.part);
      const set = [...(part?.sets ?? []), ...(part?.helpers ?? [])].find((candidate) => candidate.id === frame.set);
      if (set) surface.take(frame.set, set, frame.values);
      this.recipes.made(frame.part, frame.set);
      this.looks.refresh();
    } else if (frame.kind === "patch") {
      surface.patch(frame.set, frame.indices, frame.values);
      this.recipes.made(frame.part, frame.set);
      stage.redraw();
    } else if (frame.kind === "reshape") {
      surface.reshape(frame, get().parts.find((part) => part.id === frame.part)?.mesh ?? "");
      // Dots of the mesh as it was.
      this.endFootprint();
      this.recipes.forget();
      stage.showPlaces(null);
      this.looks.refresh();
      stage.redraw();
    } else if (frame.kind === "preview" && !this.adjusting && !this.recipes.isTrying) {
      // A recipe that is being made; what this window tries itself goes before it.
      this.recipes.show(frame.part, frame.set, frame.values);
    }
  }

  close() {
    this.live.close();
    this.looks.close();
  }

  private hear(message: Schemas["ServerMessage"]) {
    switch (message.type) {
      case "hello":
        this.client = message.client;
        set({
          facts: message.facts,
          project: message.name,
          history: message.history,
          figures: {},
          areas: {},
          unsaved: 0,
          connected: true,
        });
        // What was looked at while there was nobody to ask.
        this.looks.lost();
        this.takeOutline(message.outline);
        void this.handStencilOver();
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
      case "reshaped": {
        const { part, mesh, vertices, faces, corners, triangles } = message;
        set({
          parts: get().parts.map((own) =>
            own.id === part ? { ...own, mesh, vertices, faces, corners, triangles } : own,
          ),
        });
        break;
      }
      case "figures":
        set({
          figures: { ...get().figures, [message.set]: message.channels },
          areas: { ...get().areas, [message.set]: message.areas as [number, number][] },
        });
        break;
      case "kept":
        // Another window's strokes say nothing of this one's.
        set({ history: message.history });
        if (message.by === this.client) this.answered();
        break;
      case "corners":
        this.questions.corners(message);
        break;
      case "ahead":
        this.questions.ahead(message);
        break;
      case "answered":
        this.questions.answered(message.question, message.trouble ?? null);
        break;
      case "recipes":
        set({ recipes: message.recipes });
        this.recipes.endStale();
        break;
      case "tastes":
        set({ tastes: { ...get().tastes, [tasteKey(message.part, message.set, message.channels)]: message } });
        break;
      case "nothing":
        this.answered();
        break;
      case "stopped":
        this.ahead.stopped();
        break;
      case "notice":
        set({ notice: message.message });
        break;
      case "refused":
        set({ said: { text: message.message, bad: true } });
        this.answered();
        break;
    }
  }

  /** A server that was started anew knows nothing of the stencil in hand. */
  private async handStencilOver() {
    const { stencil } = get();
    if (!stencil || stencil.session === this.client) return;
    const { data: taken, trouble } = await sendStencil(this.id, stencil.file);
    if (get().stencil?.file !== stencil.file) return;
    if (taken) setStencil({ id: taken.id, session: this.client });
    else
      set({
        stencil: null,
        said: { text: `The stencil ${stencil.name} could not be handed over again: ${trouble}`, bad: true },
      });
  }

  /** One deed of this window less that is neither kept nor refused. */
  private answered() {
    set({ unsaved: Math.max(0, get().unsaved - 1) });
  }

  private takeOutline(outline: Schemas["Outline"]) {
    if (outline.parts.length === 0) this.opening = false;
    for (const [id, surface] of this.stage.surfaces) {
      if (id !== REMADE && !outline.parts.some((part) => part.id === id && part.mesh === surface.mesh))
        this.stage.remove(id);
    }
    const before = get().parts;
    takeOutline(outline);
    const laid = newPaint(before, outline.parts);
    if (laid && get().area === "paint")
      set({
        said: {
          text: `${laid} is made by a recipe: what you paint there lies on it as a step of its own, and stays when the recipe changes.`,
          bad: false,
        },
      });
    this.looks.refresh();
  }

  /** Keeps what a hand has turned and not let rest; nothing where none is in hand. */
  private keepInHand: (() => Promise<unknown> | null) | null = null;

  /** From now on this keeps what is in hand, until the answer is called. */
  whileInHand(keep: () => Promise<unknown> | null): () => void {
    this.keepInHand = keep;
    return () => {
      this.keepInHand = null;
    };
  }

  /** What is taken back is what was turned last, and not what was before it. */
  private whenKept(then: () => void) {
    const kept = this.keepInHand?.() ?? null;
    if (kept) void kept.then(then);
    else then();
  }

  undo() {
    this.travel("undo");
  }

  redo() {
    this.travel("redo");
  }

  private travel(type: "undo" | "redo") {
    this.whenKept(() => {
      if (this.live.say({ type })) set({ unsaved: get().unsaved + 1 });
    });
  }

  showSelection(part: number, index: number) {
    this.questions.ask(
      "selection",
      { type: "selection", part, index },
      {
        frame: (frame) => {
          if (frame.kind === "places") this.stage.showPlaces(frame.part, frame.places);
        },
      },
    );
  }

  /** Makes an edit; tells why it cannot be made, for a dialog that stays open then. Says when it made no
      difference. Ends when the page has heard of it: the answer may overtake what the socket tells, and
      what is turned next would be turned from what was. */
  async attempt(edit: Schemas["Edit"]): Promise<string | null> {
    const { revision } = get().history;
    set({ unsaved: get().unsaved + 1 });
    const { data, trouble } = await makeEdit(this.id, edit);
    if (trouble === null && data.changed) await heardAfter(revision);
    this.answered();
    if (trouble !== null) return trouble;
    if (!data.changed && data.why != null) set({ said: { text: `Nothing changed: ${data.why}.`, bad: false } });
    return null;
  }

  /** The same, and says why when it cannot be made; whether it was. */
  async edit(edit: Schemas["Edit"]): Promise<boolean> {
    const trouble = await this.attempt(edit);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
    return trouble === null;
  }

  /** The same, remembered to be made again. */
  private repeatable(edit: Schemas["Edit"]): Promise<boolean> {
    this.last = edit;
    return this.edit(edit);
  }

  /** Makes the last fill or adjustment again, on what is chosen now. */
  async repeat() {
    const state = get();
    const edit = this.last && editAgain(this.last, state);
    if (!edit) {
      set({ said: { text: "There is nothing to repeat yet: pour, span or adjust something first.", bad: true } });
      return;
    }
    if (typeof edit === "string") set({ said: { text: edit, bad: true } });
    else if (edit.type === "fill") await this.layOn(edit.fill);
    else await this.edit(edit);
  }

  /** Fills, once it is known that what it adds to the mesh is wanted. */
  private async layOn(fill: Schemas["Fill"], begin?: () => void) {
    const allowed = await this.ahead.ofFill(fill);
    if (!allowed) return;
    begin?.();
    await this.repeatable({ type: "fill", fill: allowed });
  }

  /** Asks what a dab here would cover, and shows it within the brush's circle. */
  hover(at: HandAt, ringPixels: number) {
    const start = strokeOf(get(), this.stage);
    if (this.strokeUnderWay || !start) return;
    if (start.brush.crisp || start.brush.finer != null)
      this.ahead.look({ type: "dab_ahead", start, sample: this.stage.eye.sample(at) });
    else this.ahead.end();
    this.askFootprint({ type: "hover", start, sample: this.stage.eye.sample(at) }, ringPixels);
  }

  /** Asks what a fill would cover, from a place on the page for those that start there. */
  hoverFill(at: HandAt | null) {
    const fill = fillOf(get(), this.stage, at);
    if (!fill) return;
    if (fill.crisp) this.ahead.look({ type: "fill_ahead", fill });
    else this.ahead.end();
    this.askFootprint({ type: "fill_hover", fill }, POUR_PIXELS);
  }

  private askFootprint(about: Schemas["Question"], ringPixels: number) {
    let isMore = false;
    const show = (frame: FootprintFrame) => {
      this.stage.showFootprint(frame, ringPixels, isMore);
      set({ covered: (isMore ? get().covered : 0) + frame.all });
      isMore = true;
    };
    this.questions.ask(FOOTPRINT, about, {
      frame: (frame) => {
        if (frame.kind === "footprint") show(frame);
      },
    });
  }

  /** Shows no footprint any more, whatever was asked. */
  endFootprint() {
    this.questions.withdraw(FOOTPRINT);
    this.ahead.end();
    this.stage.showFootprint(null);
    if (get().covered > 0) set({ covered: 0 });
  }

  /** Fills from a place on the page, or what was drawn; with the second swatch where that is in hand. */
  async fill(at: HandAt | null, second = false) {
    const fill = fillOf(inHand(get(), second), this.stage, at);
    const trouble = whyNotPaint(get());
    if (!fill || trouble) {
      set({ said: { text: trouble ?? "There is nothing to cover yet: draw it on the stage first.", bad: true } });
      return;
    }
    await this.layOn(fill, () => {
      this.rememberPaint();
      this.endFootprint();
      set({ spanReady: false });
    });
  }

  /** Fills what a region says, into what the tools write into. */
  async fillRegion(region: Schemas["Region"]) {
    const fill =
      fillOf(get(), this.stage, null) ??
      fillOf({ ...get(), tool: "pour", pour: { ...get().pour, kind: "all" } }, this.stage, null);
    const trouble = whyNotPaint(get());
    if (!fill || trouble) {
      set({ said: { text: trouble ?? "", bad: true } });
      return;
    }
    await this.layOn({ ...fill, region, action: get().action });
  }

  /** Shows what an adjustment would make; of several asked for in a row, the newest. */
  preview(adjustment: Schemas["Adjustment"]) {
    this.adjusting = this.questions.ask(
      PREVIEW,
      { type: "preview", adjustment },
      {
        frame: (frame) => {
          if (frame.kind !== "preview") return;
          this.stage.surfaces.get(frame.part)?.preview(frame.set, frame.values);
          this.stage.redraw();
        },
        done: (previewTrouble) => set({ previewTrouble }),
      },
    );
  }

  /** Shows what is again. */
  endPreview() {
    this.adjusting = false;
    this.questions.withdraw(PREVIEW);
    for (const surface of this.stage.surfaces.values()) surface.preview(null);
    set({ previewTrouble: null });
    this.looks.refresh();
  }

  adjust(adjustment: Schemas["Adjustment"]): Promise<boolean> {
    return this.repeatable({ type: "adjust", adjustment });
  }

  /** Asks what every corner at a vertex holds. */
  askCorners(part: number, shown: number, vertex: number) {
    this.questions.ask(
      "corners",
      { type: "corners", part, set: shown, vertex },
      {
        corners: (corners) => {
          if (get().listing) set({ corners });
        },
      },
    );
  }

  private rememberPaint() {
    const { action, into, paint } = get();
    if (action === "paint" && into === "set" && targetSet(get())?.encoding === "color") remember(paint);
  }

  /** Puts the brush down; says why when it cannot. */
  beginStroke(at: HandAt, second = false): boolean {
    const state = inHand(get(), second);
    const start = strokeOf(state, this.stage);
    const trouble = whyNotPaint(get());
    if (trouble || !start || !isStroke(state)) {
      set({ said: { text: trouble ?? "", bad: true } });
      return false;
    }
    const allowed = this.ahead.ofStroke(start);
    if (!allowed) return false;
    this.strokeUnderWay = this.live.say({ type: "stroke_begin", start: allowed });
    if (!this.strokeUnderWay) return false;
    set({ unsaved: state.unsaved + 1 });
    this.rememberPaint();
    // What a recipe would make must not hide what is painted.
    this.recipes.end();
    this.endFootprint();
    this.moveStroke([at]);
    return true;
  }

  moveStroke(points: HandAt[], held = false) {
    if (!this.strokeUnderWay || points.length === 0) return;
    this.live.say({ type: "stroke_move", samples: points.map((at) => this.stage.eye.sample(at, held)) });
  }

  endStroke() {
    if (!this.strokeUnderWay) return;
    this.strokeUnderWay = false;
    this.live.say({ type: "stroke_end" });
  }
}
