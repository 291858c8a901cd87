// What the stage shows of the parts: the chosen set on each, heat, what was before, where they stand.
import type { Questions } from "../live/questions";
import type { Schemas } from "../api/client";
import type { Stage } from "../stage/stage";
import type { Surface } from "../stage/surface";
import { chosenSelection, get, type Heat, noProofing, type Part, set, snapshotOf, type State } from "../model/state";
import { REMADE, LOST, TRIED } from "../model/trial";
import { lookOf } from "../model/proof";
import { shades } from "../model/swatches";
import { LookCodes } from "./lookCodes";
import { cutawayOf } from "./tools";

export class Looks {
  /** What the heat on the stage was asked for. */
  private heatAsked = "";
  /** The set last said to be looked at. */
  private looked = "";
  private readonly codes: LookCodes;

  constructor(
    private readonly stage: Stage,
    private readonly questions: Questions,
    private readonly say: (message: Schemas["ClientMessage"]) => boolean,
  ) {
    // What was in hand was of another project.
    set({ proofing: noProofing });
    this.codes = new LookCodes(stage.lights, () => this.refresh());
  }

  /** Whoever is asked next knows nothing of what was asked before. */
  lost() {
    this.heatAsked = "";
    this.looked = "";
  }

  /** Puts the parts where they stand, and shows on each the chosen set, or the one of the same name, or its first. */
  refresh() {
    const state = get();
    const { parts, part: active, shown, look, traits, wipe, flipped } = state;
    const trial = state.area === "gather" ? state.trial : null;
    const name = parts.find((part) => part.id === active)?.sets.find((candidate) => candidate.id === shown)?.name;
    this.look(active, shown);
    this.stage.eye.setUp(traits.up);
    this.stage.setCutaway(cutawayOf(state));
    this.askHeat(look.heat);
    this.stage.lights.set(state.proofing.lights ?? state.proof.lights, traits.up);
    let heat: [number, number] | null = null;
    const before = new Map<number, number | null>();
    for (const part of parts) {
      const surface = this.stage.surfaces.get(part.id);
      if (!surface) continue;
      // A channel alone says nothing of sets of other names: such parts stand there bare.
      const same =
        part.sets.find((candidate) => candidate.name === name) ?? (look.channel === null ? part.sets[0] : undefined);
      const wanted = part.id === active || shown === null ? shown : (same?.id ?? null);
      const then = (snapshot: string) => {
        const id = snapshotOf(part, wanted, snapshot)?.id ?? wanted;
        if (id !== null && !surface.has(id)) this.askValues(part.id, id);
        return id !== null && surface.has(id) ? id : wanted;
      };
      // A trial takes the place of what is shown of its part.
      const tried = trial?.part === part.id && surface.has(TRIED) ? trial.shows : null;
      const isTried = tried !== null && tried !== "before";
      const remadeLook = state.area === "gather" && state.remade?.part === part.id ? state.remade.shows : null;
      const isHot = look.heat !== null || tried === "change" || remadeLook === "loss";
      const now = isTried ? TRIED : flipped !== null ? then(flipped) : wanted;
      if (wipe) before.set(part.id, then(wipe.snapshot));
      const mask = look.mask ? part.helpers.find((helper) => helper.role === "mask") : undefined;
      const selection = look.selection ? (part.id === active ? chosenSelection(state) : undefined) : undefined;
      surface.mark(mask?.id ?? null, tried === "lost" ? LOST : (selection?.id ?? null));
      surface.paletteIs(shades(state.swatches, part.base));
      surface.show(now, isHot);
      this.wear(state, part, surface);
      surface.light(look.shade === "lit", look.smoothUpTo);
      surface.showChannel(look.channel);
      surface.stand(part.matrix);
      surface.object.visible = part.visible;
      // What would take its place stands where it stands, and shows what it shows.
      const remade = remadeLook ? this.stage.surfaces.get(REMADE) : null;
      if (remade) {
        const isAfter = remadeLook === "after";
        remade.paletteIs(shades(state.swatches, part.base));
        remade.show(wanted);
        remade.light(look.shade === "lit", look.smoothUpTo);
        remade.showChannel(look.channel);
        remade.stand(part.matrix);
        remade.object.visible = part.visible && isAfter;
        surface.object.visible = part.visible && !isAfter;
      }
      const range = isHot && part.visible ? surface.heatRange : null;
      if (range) heat = heat ? [Math.min(heat[0], range[0]), Math.max(heat[1], range[1])] : range;
    }
    if (look.heat !== "density" && heat) heat = [0, Math.max(heat[1], 1)];
    for (const surface of this.stage.surfaces.values()) surface.scaleHeat(heat);
    if (String(heat) !== String(state.heatRange)) set({ heatRange: heat });
    this.stage.setWipe(wipe ? { share: wipe.share, before } : null);
    this.stage.eye.setParallel(look.parallel);
    this.stage.setWire(look.wire);
  }

  /** What a part wears in Proof, driven by its sets. */
  private wear(state: State, part: Part, surface: Surface) {
    const look = state.area === "proof" && !state.proofing.bare ? lookOf(state, part.id) : null;
    const dress = look && this.codes.dress(look);
    const ofName = (name: string) => part.sets.find((own) => own.name === name)?.id ?? null;
    surface.wear(dress, dress?.code.sets.map(ofName));
  }

  /** Says which set is looked at: some recipes are made only then. */
  private look(part: number | null, shown: number | null) {
    const looked = `${part} ${shown}`;
    if (part === null || shown === null || looked === this.looked) return;
    if (this.say({ type: "looking", part, set: shown })) this.looked = looked;
  }

  /** Asks for a snapshot's values; they come as any set's do. */
  private askValues(part: number, snapshot: number) {
    const kind = `values ${part} ${snapshot}`;
    if (!this.questions.isOpen(kind)) this.questions.ask(kind, { type: "values", part, set: snapshot }, {});
  }

  /** Asks for the numbers behind the heat, anew after every change. */
  private askHeat(heat: Heat | null) {
    const { parts, history } = get();
    const asked = heat === null ? "" : JSON.stringify([heat, history.revision, parts.map((part) => part.id)]);
    if (asked === this.heatAsked) return;
    this.heatAsked = asked;
    for (const part of parts) {
      this.stage.surfaces.get(part.id)?.takeHeat("vertex", null);
      this.questions.withdraw(`heat ${part.id}`);
      if (heat === null) continue;
      const ask = (snapshot: number | null) =>
        this.questions.ask(
          `heat ${part.id}`,
          { type: "heat", part: part.id, snapshot },
          {
            frame: (frame) => {
              if (frame.kind !== "heat") return;
              this.stage.surfaces.get(part.id)?.takeHeat(frame.placement, frame.numbers);
              this.refresh();
            },
            done: (trouble) => {
              if (trouble !== null) set({ said: { text: trouble, bad: true } });
            },
          },
        );
      if (heat === "density") ask(null);
      else {
        const shown = part.sets.find((candidate) => candidate.id === get().shown)?.id ?? part.sets[0]?.id ?? null;
        const snapshot = snapshotOf(part, shown, heat.snapshot);
        if (snapshot) ask(snapshot.id);
      }
    }
  }
}
