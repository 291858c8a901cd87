// Recipes as they would be: tried while a knob turns, tasted step by step, drafted by the server.
import type { Questions } from "../live/questions";
import type { Schemas } from "../api/client";
import type { Stage } from "../stage/stage";
import { get, set } from "../model/state";
import { tasteKey } from "../model/recipes";

/** A recipe whose numbers are being turned. */
export interface RecipeInHand {
  recipe: Schemas["Recipe"];
  /** While a knob turns. */
  turn: (recipe: Schemas["Recipe"]) => void;
  /** What is a deed of its own. */
  put: (recipe: Schemas["Recipe"]) => void;
}

/** Of tries one answer is shown at a time. */
const TRY = "try";

export class Recipes {
  /** The set whose recipe is shown as it would be. */
  private shown: { part: number; set: number } | null = null;
  /** Whether the hand is still on a knob. */
  private held = false;
  private hand: RecipeInHand | null = null;
  /** Recipes whose steps were asked about. */
  private readonly tasted = new Set<string>();

  constructor(
    private readonly stage: Stage,
    private readonly questions: Questions,
    private readonly say: (message: Schemas["ClientMessage"]) => boolean,
    private readonly refresh: () => void,
  ) {}

  /** Whether this window tries one itself. */
  get isTrying() {
    return this.questions.isOpen(TRY);
  }

  /** The socket is lost, and with it what was asked. */
  lost() {
    this.end();
    this.tasted.clear();
  }

  /** What was shown is gone from the stage. */
  forget() {
    this.shown = null;
  }

  /** Shows values as a set's recipe would make them. */
  show(part: number, of: number, values: Uint8Array) {
    this.stage.surfaces.get(part)?.preview(of, values);
    this.shown = { part, set: of };
    this.stage.redraw();
  }

  /** Shows what another recipe would make; of several asked for in a row, the newest. */
  try(part: number, of: number, recipe: Schemas["Recipe"]) {
    this.questions.ask(
      TRY,
      { type: "try_recipe", part, set: of, recipe },
      {
        frame: (frame) => {
          if (frame.kind === "preview") this.show(frame.part, frame.set, frame.values);
        },
        done: (tryTrouble) => {
          set({ tryTrouble });
          this.endStale();
        },
      },
    );
  }

  /** Asks what the steps of a recipe make, where that is not known; once, but for one that is made. */
  taste(part: number, of: number, recipe: Schemas["Recipe"], isMade: boolean) {
    const { channels } = recipe;
    const key = tasteKey(part, of, channels);
    const known = get().tastes[key];
    // After an undo it may be known of other steps.
    const fits = known && recipe.steps.every((step, i) => step.off || known.steps[i]);
    if (fits || ((known || this.tasted.has(key)) && !isMade)) return;
    // Where it could not be told, it may be asked again.
    const done = (trouble: string | null) => {
      if (trouble !== null) this.tasted.delete(key);
    };
    if (this.questions.ask(`taste ${key}`, { type: "taste_recipe", part, set: of, channels }, { done }))
      this.tasted.add(key);
  }

  make(part: number, of: number, channels: Schemas["Target"]) {
    this.say({ type: "make_recipe", part, set: of, channels });
  }

  giveUp(part: number, of: number, channels: Schemas["Target"]) {
    this.say({ type: "give_up", part, set: of, channels });
  }

  /** The set itself is newer than what was shown of its recipe. */
  made(part: number, of: number) {
    if (this.shown?.part === part && this.shown.set === of && !this.questions.isOpen(TRY)) this.end();
  }

  /** What is not being made any more is not shown any more. */
  endStale() {
    const { shown } = this;
    if (!shown || this.questions.isOpen(TRY) || this.held) return;
    const busy = get().recipes.some(
      (state) => state.part === shown.part && state.set === shown.set && state.status === "making",
    );
    if (!busy) this.end();
  }

  /** Whether numbers of a recipe are still in the hand, not yet written down. */
  hold(held: boolean) {
    this.held = held;
  }

  /** The recipe on the sheet, for what is added from elsewhere. */
  get inHand(): RecipeInHand | null {
    return this.hand;
  }

  takeInHand(hand: RecipeInHand | null) {
    this.hand = hand;
  }

  /** Shows what is again. */
  end() {
    if (!this.shown) return;
    this.stage.surfaces.get(this.shown.part)?.preview(null);
    this.shown = null;
    this.refresh();
    this.stage.redraw();
  }
}
