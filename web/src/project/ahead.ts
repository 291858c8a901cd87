// What paint will add to the mesh: told beside what it covers, and asked about first where it is much.
import type { Schemas } from "../api/client";
import type { Questions } from "../live/questions";
import { MANY_NEW, type AheadAnswer, type AskedAhead } from "../model/ahead";
import { get, set } from "../model/state";
import { whenRested } from "../widgets/rest";

type About = Extract<Schemas["Question"], { type: "fill_ahead" | "dab_ahead" }>;

/** What the pointer is over, which nobody may want to know any more; and a fill that is to be done. */
const LOOKED = "ahead";
const DECIDED = "ahead of a fill";

/** For how long a pointer rests before it is asked: the answer takes a copy of the mesh. */
const REST_MS = 120;

const brushOf = (start: Schemas["StrokeStart"]) => JSON.stringify([start.part, start.brush]);

export class Ahead {
  private callOff: (() => void) | null = null;
  /** What was asked last and by which brush, and what was said. */
  private asked = "";
  private brush = "";
  private known: number | null = null;
  /** A fill waits to be told: what else would be asked could take its place. */
  private isDeciding = false;
  /** Brushes that were let make as much as they do, and the one whose stroke is under way or was the last. */
  private readonly allowed = new Set<string>();
  private inHand = "";

  constructor(private readonly questions: Questions) {}

  /** Tells of what the pointer is over, once it rests there. */
  look(about: About) {
    const key = JSON.stringify(about);
    if (this.isDeciding || key === this.asked) return;
    this.callOff?.();
    const brush = about.type === "dab_ahead" ? brushOf(about.start) : "";
    // A dab beside it makes about as many; another brush and another fill do not.
    if (brush === "" || brush !== this.brush) this.forget();
    this.callOff = whenRested(REST_MS, () => {
      this.asked = key;
      this.brush = brush;
      void this.ask(LOOKED, about).then((told) => {
        if (this.asked !== key || told === null) return;
        this.known = told;
        set({ ahead: told });
      });
    });
  }

  /** Tells nothing any more. */
  end() {
    this.callOff?.();
    this.callOff = null;
    this.questions.withdraw(LOOKED);
    this.forget();
  }

  /** A fill as it is to be done, with its border cut or without; asks where the cut makes many triangles. */
  async ofFill(fill: Schemas["Fill"]): Promise<Schemas["Fill"] | null> {
    if (!fill.crisp) return fill;
    // The same click once more.
    if (this.isDeciding || get().askedAhead) return null;
    const about: About = { type: "fill_ahead", fill };
    const known = this.asked === JSON.stringify(about) ? this.known : null;
    const triangles = known ?? (await this.decide(about));
    const answer = triangles > MANY_NEW ? await asked(triangles, "fill") : "cut";
    return answer === "cut" ? fill : answer === "plain" ? { ...fill, crisp: false } : null;
  }

  /**
   * A stroke as it may begin, with no more triangles than it may make unasked; asks where the dab under the pointer
   * makes more by itself, once for a brush.
   */
  ofStroke(start: Schemas["StrokeStart"]): Schemas["StrokeStart"] | null {
    this.inHand = brushOf(start);
    if (this.allowed.has(this.inHand)) return start;
    const triangles = this.brush === this.inHand ? (this.known ?? 0) : 0;
    if (triangles <= MANY_NEW) return { ...start, most_new: MANY_NEW };
    void this.askOfBrush(triangles, "dab");
    return null;
  }

  /** A stroke has made as many as it may unasked, and went over the mesh as it is from there on. */
  stopped() {
    void this.askOfBrush(MANY_NEW, "stroke so far");
  }

  private async askOfBrush(triangles: number, by: AskedAhead["by"]) {
    const brush = this.inHand;
    if ((await asked(triangles, by)) === "cut") this.allowed.add(brush);
  }

  private async decide(about: About): Promise<number> {
    this.end();
    this.isDeciding = true;
    set({ unsaved: get().unsaved + 1 });
    const told = await this.ask(DECIDED, about);
    this.isDeciding = false;
    set({ unsaved: Math.max(0, get().unsaved - 1) });
    return told ?? 0;
  }

  private forget() {
    this.asked = "";
    this.brush = "";
    this.known = null;
    if (get().ahead !== null) set({ ahead: null });
  }

  /** How many triangles will come; null where nobody can say, or the line is lost. */
  private ask(kind: string, about: About): Promise<number | null> {
    return new Promise((tell) => {
      const nobody = () => tell(null);
      if (!this.questions.ask(kind, about, { ahead: tell, done: nobody, lost: nobody })) nobody();
    });
  }
}

function asked(triangles: number, by: AskedAhead["by"]): Promise<AheadAnswer> {
  // What was asked before must not wait for ever.
  get().askedAhead?.answer(null);
  return new Promise((answer) => {
    set({
      askedAhead: {
        triangles,
        by,
        answer: (given) => {
          set({ askedAhead: null });
          answer(given);
        },
      },
    });
  });
}
