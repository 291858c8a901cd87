// What the stage shows of the parts: the chosen set on each, heat, what was before, where they stand.
import type { Questions } from "../live/questions";
import type { Schemas } from "../api/client";
import { cornerUvs } from "../api/writes";
import { wayOf, type LookDress } from "../stage/lookMaterial";
import type { Range } from "../stage/heats";
import type { PanePicture, Stage } from "../stage/stage";
import type { Meeting, Surface } from "../stage/surface";
import { chosenSelection, get, noProofing, type Part, set, snapshotOf, type State } from "../model/state";
import type { Heat, Look, Rgba } from "../model/choices";
import { REMADE, LOST, TRIAL_HEAT, TRIED } from "../model/trial";
import { paneCount, paneGrid, type Pane, type Panes } from "../model/panes";
import { changesIn, lookIn, panesOf, setIn } from "../model/paneViews";
import { lookOf, tieOf, windOf, type ProofLook } from "../model/proof";
import { shades } from "../model/swatches";
import { LookCodes } from "./lookCodes";
import { Pictures } from "./pictures";
import { cutawayOf } from "./tools";

/** What a heat of a surface is of. */
const heatName = (heat: Heat) => (heat === "density" ? heat : `since ${heat.snapshot}`);

const setsOf = (part: Part, dress: LookDress) =>
  dress.sets.map((name) => part.sets.find((own) => own.name === name)?.id ?? null);

/** What a surface shows in a picture. */
interface Seen {
  set: number | null;
  /** The heat in its place. */
  hot: string | null;
  channel: Look["channel"];
  outfit: { dress: LookDress; sets: (number | null)[]; carrier: LookDress | null } | null;
  visible: boolean;
}

/** What all of them show in it. */
type Picture = Map<Surface, Seen>;

const whole = { left: 0, top: 0, width: 1, height: 1 };

function show(picture: Picture) {
  for (const [surface, { set: shown, hot, channel, outfit, visible }] of picture) {
    surface.show(shown, hot);
    surface.showChannel(channel);
    surface.wear(outfit?.dress ?? null, outfit?.sets, outfit?.carrier);
    surface.object.visible = visible;
  }
}

export class Looks {
  /** What the heats on the stage were asked for, and the questions. */
  private heatsAsked = "";
  private heatQuestions: string[] = [];
  /** The set last said to be looked at. */
  private looked = "";
  private readonly codes: LookCodes;
  private readonly pictures: Pictures;
  private readonly uvs = new Map<Surface, string>();
  /** What is in each pane. */
  private panes: Picture[] = [];

  constructor(
    private readonly project: number,
    private readonly stage: Stage,
    private readonly questions: Questions,
    private readonly say: (message: Schemas["ClientMessage"]) => boolean,
  ) {
    // What was in hand was of another project.
    set({ proofing: noProofing });
    const upload = (bitmap: ImageBitmap, data: boolean) => stage.texture(bitmap, data);
    this.pictures = new Pictures(project, upload, () => this.refresh());
    this.codes = new LookCodes(stage.lights, stage.stir, this.pictures, () => this.refresh());
  }

  close() {
    this.pictures.dispose();
  }

  /** Whoever is asked next knows nothing of what was asked before. */
  lost() {
    this.heatsAsked = "";
    this.looked = "";
  }

  /** Puts the parts where they stand, and shows on each what is to be seen of it in every pane. */
  refresh() {
    const state = get();
    const { parts, part: active, shown, look, traits, wipe } = state;
    const trial = state.area === "gather" ? state.trial : null;
    const remadeShows = state.area === "gather" ? state.remade : null;
    const panes = panesOf(state);
    const changes = changesIn(panes);
    this.look(active, shown);
    this.stage.eye.setUp(traits.up);
    this.stage.setCutaway(cutawayOf(state));
    this.askHeats([...(look.heat === null ? [] : [look.heat]), ...changes.map((snapshot) => ({ snapshot }))]);
    const lights = state.proofing.lights ?? state.proof.lights;
    this.stage.lights.set(lights, traits.up);
    this.stage.setGround(state.area === "proof" ? (lights.ground ?? null) : null);
    const drawn =
      panes.layout === "flip" ? [panes.list[panes.flipped ? 1 : 0]] : panes.list.slice(0, paneCount[panes.layout]);
    const pictures: Picture[] = drawn.map(() => new Map());
    const before: Picture = new Map();
    for (const part of parts) {
      const surface = this.stage.surfaces.get(part.id);
      if (!surface) continue;
      const mask = look.mask ? part.helpers.find((helper) => helper.role === "mask") : undefined;
      const selection = look.selection ? (part.id === active ? chosenSelection(state) : undefined) : undefined;
      const isTried = trial?.part === part.id && surface.has(TRIED) ? trial.shows : null;
      surface.mark(mask?.id ?? null, isTried === "lost" ? LOST : (selection?.id ?? null));
      surface.paletteIs(shades(state.swatches, part.base));
      surface.light(look.shade === "lit", look.smoothUpTo);
      surface.stand(part.matrix);
      const remadeLook = remadeShows?.part === part.id ? remadeShows.shows : null;
      const now = this.onStage(state, part, surface);
      if (wipe)
        before.set(surface, {
          ...now,
          hot: null,
          set: this.snapshot(part, surface, this.wanted(state, part), wipe.snapshot),
        });
      drawn.forEach((pane, i) => pictures[i]?.set(surface, this.inPane(state, pane, part, surface, now)));
      // What would take its place stands where it stands, and shows what it shows.
      const remade = remadeLook ? this.stage.surfaces.get(REMADE) : null;
      if (remade) {
        const isAfter = remadeLook === "after";
        remade.paletteIs(shades(state.swatches, part.base));
        remade.light(look.shade === "lit", look.smoothUpTo);
        remade.stand(part.matrix);
        const seen = {
          ...now,
          set: this.wanted(state, part),
          hot: null,
          outfit: null,
          visible: part.visible && isAfter,
        };
        pictures[0]?.set(remade, seen);
        pictures[0]?.set(surface, { ...now, visible: part.visible && !isAfter });
      }
    }
    this.scaleHeats(pictures);
    this.panes = pictures;
    for (const picture of pictures.toReversed()) show(picture);
    this.lay(panes, pictures, wipe && panes.layout === "one" ? { share: wipe.share, before } : null);
    const dresses = new Set(pictures.flatMap((picture) => [...picture.values()].map(({ outfit }) => outfit?.dress)));
    for (const surface of this.stage.surfaces.values())
      surface.keepOutfits(new Set([...dresses].filter((dress) => dress !== undefined)));
    this.blow(state);
    this.stage.eye.setParallel(look.parallel);
    this.stage.setWire(look.wire);
  }

  /** Spreads lengths between the least and the greatest that is seen, changes from none to the greatest. */
  private scaleHeats(pictures: Picture[]) {
    let [lengths, changes] = [null, null] as [Range | null, Range | null];
    for (const [surface, { hot, visible }] of pictures.flatMap((picture) => [...picture])) {
      const range = hot !== null && visible ? surface.heatRange(hot) : null;
      if (!range) continue;
      const [least, greatest] = range;
      if (hot === "density") lengths = [Math.min(least, lengths?.[0] ?? least), Math.max(greatest, lengths?.[1] ?? 0)];
      else changes = [0, Math.max(1, greatest, changes?.[1] ?? 0)];
    }
    const rangeOf = (of: string) => (of === "density" ? lengths : changes);
    for (const surface of this.stage.surfaces.values()) surface.scaleHeats(rangeOf);
    const { look, heatRange } = get();
    const told = look.heat === "density" ? lengths : changes;
    if (String(told) !== String(heatRange)) set({ heatRange: told });
  }

  /** Lays the pictures out on the stage. */
  private lay({ layout, share }: Panes, pictures: Picture[], wipe: { share: number; before: Picture } | null) {
    const of = (picture: Picture | undefined, at: PanePicture["at"], span: PanePicture["span"]) => ({
      at,
      span,
      dress: () => show(picture ?? new Map()),
    });
    const [columns, rows] = paneGrid(layout);
    const [first, second] = pictures;
    const laid = wipe
      ? [of(first, whole, [wipe.share, 1]), of(wipe.before, whole, [0, wipe.share])]
      : layout === "wipe"
        ? [of(first, whole, [0, share]), of(second, whole, [share, 1])]
        : pictures.map((picture, i) => {
            const at = { left: (i % columns) / columns, top: Math.floor(i / columns) / rows };
            return of(picture, { ...at, width: 1 / columns, height: 1 / rows }, [0, 1]);
          });
    this.stage.setPanes(laid, [columns, rows]);
  }

  /** The set of a part that goes with the one chosen: it, or the one of the same name, or its first. */
  private wanted({ parts, part: active, shown, look }: State, part: Part): number | null {
    if (part.id === active || shown === null) return shown;
    const name = parts.find(({ id }) => id === active)?.sets.find(({ id }) => id === shown)?.name;
    const same = part.sets.find((own) => own.name === name);
    // A channel alone says nothing of sets of other names: such parts stand there bare.
    return (same ?? (look.channel === null ? part.sets[0] : undefined))?.id ?? null;
  }

  /** A snapshot of a set, as far as it has come. */
  private snapshot(part: Part, surface: Surface, wanted: number | null, name: string): number | null {
    const id = snapshotOf(part, wanted, name)?.id ?? wanted;
    if (id !== null && !surface.has(id)) this.askValues(part.id, id);
    return id !== null && surface.has(id) ? id : wanted;
  }

  /** What a part shows by what the chip on the stage says. */
  private onStage(state: State, part: Part, surface: Surface): Seen {
    const { look, flipped, trial, remade, area } = state;
    const wanted = this.wanted(state, part);
    // A trial takes the place of what is shown of its part.
    const tried = area === "gather" && trial?.part === part.id && surface.has(TRIED) ? trial.shows : null;
    const isTried = tried !== null && tried !== "before";
    const isLoss = area === "gather" && remade?.part === part.id && remade.shows === "loss";
    return {
      set: isTried ? TRIED : flipped !== null ? this.snapshot(part, surface, wanted, flipped) : wanted,
      hot: tried === "change" || isLoss ? TRIAL_HEAT : look.heat && heatName(look.heat),
      channel: look.channel,
      outfit: null,
      visible: part.visible,
    };
  }

  /** What a part shows in a pane. */
  private inPane(state: State, pane: Pane, part: Part, surface: Surface, now: Seen): Seen {
    const { shows } = pane;
    const look = lookIn(state, pane, part.id);
    const visible = pane.part === null ? now.visible : pane.part === part.id;
    const outfit = look && this.outfit(state, look, part);
    if (shows.kind === "stage" || outfit) return { ...now, outfit, visible };
    const plain = { ...now, hot: null, channel: null, visible };
    switch (shows.kind) {
      case "set":
        return { ...plain, set: setIn(pane, part, undefined)?.id ?? null, channel: shows.channel };
      case "snapshot":
        return { ...plain, set: this.snapshot(part, surface, this.wanted(state, part), shows.snapshot) };
      case "change":
        return { ...plain, hot: heatName({ snapshot: shows.snapshot }) };
      default:
        return plain;
    }
  }

  /** A look as a part wears it, driven by its sets; null until its code has come. */
  private outfit(state: State, look: ProofLook, part: Part): Seen["outfit"] {
    const dress = this.codes.dress(look);
    if (!dress) return null;
    const surface = this.stage.surfaces.get(part.id);
    if (surface && dress.takesUv) this.askUvs(part, surface);
    const tie = tieOf(state, part.id);
    const to = tie && state.parts.find(({ id }) => id === tie.to);
    const carrier = to ? this.carrier(state, to) : null;
    return { dress, sets: setsOf(part, dress), carrier };
  }

  /** What moves a part that others are tied to. */
  private carrier(state: State, part: Part): LookDress | null {
    const look = lookOf(state, part.id);
    const dress = look && this.codes.dress(look);
    return dress?.moves ? dress : null;
  }

  /** Lets the winds blow. */
  private blow(state: State) {
    const { up } = state.traits;
    for (const part of state.parts) {
      const surface = this.stage.surfaces.get(part.id);
      if (!surface) continue;
      const tie = tieOf(state, part.id);
      const to = tie && state.parts.find(({ id }) => id === tie.to);
      const [there, dress] = [to && this.stage.surfaces.get(to.id), to && this.carrier(state, to)];
      // What is tied sways in the wind where it is tied.
      const wind = windOf(state, dress && to ? to.id : part.id);
      const carrier =
        to && there && dress ? { surface: there, dress, sets: setsOf(to, dress), vertex: tie.vertex } : null;
      surface.stirBy(wayOf(wind, up), wind, carrier);
    }
    this.stage.setMoment(state.area === "proof" ? state.proofing.moment : null);
  }

  /** What each pane shows at a place of a surface, which is under a place on the page. */
  valuesIn(surface: Surface, meeting: Meeting, vertex: number, x: number, y: number): (Rgba | null)[] {
    const { layout, share } = panesOf(get());
    const [columns] = paneGrid(layout);
    const [own, first] = [this.stage.eye.pane(x, y), this.stage.eye.pane()];
    return this.panes.map((picture, i) => {
      const seen = picture.get(surface);
      if (!seen?.visible) return null;
      if (!seen.outfit) return seen.set === null ? null : surface.valueAt(seen.set, meeting, vertex);
      const [left, top] = [first.left + (i % columns) * own.width, first.top + Math.floor(i / columns) * own.height];
      if (layout === "wipe" && x - own.left < share * own.width !== (i === 0)) return null;
      return this.stage.drawnAt(x - own.left + left, y - own.top + top);
    });
  }

  /** Asks for texture coordinates, once for each mesh. */
  private askUvs(part: Part, surface: Surface) {
    if (this.uvs.get(surface) === surface.mesh) return;
    const { mesh } = surface;
    this.uvs.set(surface, mesh);
    void cornerUvs(this.project, part.id).then(({ data }) => {
      if (!data || surface.mesh !== mesh) {
        this.uvs.delete(surface);
        return;
      }
      surface.takeUvs(new Float32Array(data));
      this.refresh();
    });
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

  /** Asks for the numbers behind heats, anew after every change. */
  private askHeats(heats: Heat[]) {
    const { parts, history, shown } = get();
    const ids = parts.map((part) => part.id);
    const asked = heats.length === 0 ? "" : JSON.stringify([heats, history.revision, shown, ids]);
    if (asked === this.heatsAsked) return;
    this.heatsAsked = asked;
    for (const question of this.heatQuestions) this.questions.withdraw(question);
    this.heatQuestions = [];
    for (const part of parts) {
      const surface = this.stage.surfaces.get(part.id);
      for (const name of surface?.heatNames ?? []) if (name !== TRIAL_HEAT) surface?.takeHeat(name, "vertex", null);
      for (const heat of heats) this.askHeat(part, heat);
    }
  }

  /** Asks for the numbers behind a heat of a part: of its edges, or since a snapshot of what it shows. */
  private askHeat(part: Part, heat: Heat) {
    const shown = part.sets.find((own) => own.id === get().shown)?.id ?? part.sets[0]?.id ?? null;
    const snapshot = heat === "density" ? null : (snapshotOf(part, shown, heat.snapshot)?.id ?? null);
    if (heat !== "density" && snapshot === null) return;
    const name = heatName(heat);
    const question = `heat ${part.id} ${name}`;
    this.heatQuestions.push(question);
    this.questions.ask(
      question,
      { type: "heat", part: part.id, snapshot },
      {
        frame: (frame) => {
          if (frame.kind !== "heat") return;
          this.stage.surfaces.get(part.id)?.takeHeat(name, frame.placement, frame.numbers);
          this.refresh();
        },
        done: (trouble) => {
          if (trouble !== null) set({ said: { text: trouble, bad: true } });
        },
      },
    );
  }
}
