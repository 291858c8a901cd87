// What paint will add to the mesh: told beside what it covers, and asked about first where it is much.
import type { Schemas } from "../api/client";
import type { Questions } from "../live/questions";
import { MANY_NEW, type AheadAnswer } from "../model/ahead";
import { get, set } from "../model/state";
import { whenRested } from "../widgets/rest";

type About = Extract<Schemas["Question"], { type: "fill_ahead" | "dab_ahead" }>;

const AHEAD = "ahead";

/** For how long a pointer rests before it is asked: the answer takes a copy of the mesh. */
const REST_MS = 120;

/** How long a fill waits for it. */
const MOST_MS = 20_000;

export class Ahead {
  private callOff: (() => void) | null = null;
  /** What was asked last, and what was said. */
  private asked = "";
  private known: number | null = null;
  /** Brushes that were let make as much as they do. */
  private readonly allowed = new Set<string>();

  constructor(private readonly questions: Questions) {}

  /** Tells of what the pointer is over, once it rests there. */
  look(about: About) {
    if (JSON.stringify(about) === this.asked) return;
    this.callOff?.();
    // A dab beside it makes about as many; another fill does not.
    if (about.type === "fill_ahead") this.forget();
    this.callOff = whenRested(REST_MS, () => void this.ask(about));
  }

  /** Tells nothing any more. */
  end() {
    this.callOff?.();
    this.callOff = null;
    this.questions.withdraw(AHEAD);
    this.forget();
  }

  private forget() {
    this.asked = "";
    this.known = null;
    if (get().ahead !== null) set({ ahead: null });
  }

  /** Whether a fill is to be done, and cut along its border; asks where that makes many triangles. */
  async ofFill(fill: Schemas["Fill"]): Promise<Schemas["Fill"] | null> {
    if (!fill.crisp) return fill;
    const about: About = { type: "fill_ahead", fill };
    const triangles = this.asked === JSON.stringify(about) ? this.known : null;
    const answer = await this.letOrAsk(triangles ?? (await this.ask(about)), true);
    this.end();
    return answer === "cut" ? fill : answer === "plain" ? { ...fill, crisp: false } : null;
  }

  /** Whether a stroke may begin: asks where the dab under the pointer makes many triangles, once for a brush. */
  lets(start: Schemas["StrokeStart"]): boolean {
    const brush = JSON.stringify([start.part, start.brush]);
    const triangles = this.known ?? 0;
    if (triangles <= MANY_NEW || this.allowed.has(brush)) return true;
    void this.letOrAsk(triangles, false).then((answer) => {
      if (answer === "cut") this.allowed.add(brush);
    });
    return false;
  }

  private async ask(about: About): Promise<number> {
    this.asked = JSON.stringify(about);
    this.known = null;
    const key = this.asked;
    const told = await new Promise<number | null>((tell) => {
      const answers = { ahead: tell, done: () => tell(null) };
      if (!this.questions.ask(AHEAD, about, answers)) tell(null);
      // An answer that is lost with the line holds nothing up.
      window.setTimeout(() => tell(null), MOST_MS);
    });
    if (this.asked === key && told !== null) {
      this.known = told;
      set({ ahead: told });
    }
    return told ?? 0;
  }

  private letOrAsk(triangles: number, canBePlain: boolean): Promise<AheadAnswer> {
    if (triangles <= MANY_NEW) return Promise.resolve("cut");
    return new Promise((answer) => {
      set({
        askedAhead: {
          triangles,
          canBePlain,
          answer: (given) => {
            set({ askedAhead: null });
            answer(given);
          },
        },
      });
    });
  }
}
