// What this window wants to know. Of each kind one question is under way at most: what is asked
// meanwhile waits, the newest only, and answers to what is no longer wanted are dropped.
import type { Schemas } from "../api/client";
import type { Frame } from "./frames";

type ClientMessage = Schemas["ClientMessage"];
type Question = Schemas["Question"];

/** What is done with what comes of a question. */
export interface Answers {
  frame?: (frame: Frame) => void;
  /** How many triangles will come. */
  ahead?: (triangles: number) => void;
  corners?: (corners: Extract<Schemas["ServerMessage"], { type: "corners" }>) => void;
  /** Nothing more comes of it; why there is no answer, where there is none. */
  done?: (trouble: string | null) => void;
  /** The line was lost, and the answer with it. */
  lost?: () => void;
}

interface Asked {
  number: number;
  answers: Answers;
  isWanted: boolean;
  waiting: { about: Question; answers: Answers } | null;
}

export class Questions {
  private last = 0;
  private readonly asked = new Map<string, Asked>();

  /** `say` tells whether it was sent. */
  constructor(private readonly say: (message: ClientMessage) => boolean) {}

  /** Asks, or has it wait until the one of its kind that is under way is answered; whether it will be. */
  ask(kind: string, about: Question, answers: Answers): boolean {
    const underWay = this.asked.get(kind);
    if (underWay) {
      underWay.waiting = { about, answers };
      return true;
    }
    const number = ++this.last;
    if (!this.say({ type: "ask", question: number, about })) return false;
    this.asked.set(kind, { number, answers, isWanted: true, waiting: null });
    return true;
  }

  /** Whether an answer of a kind is still wanted. */
  isOpen(kind: string): boolean {
    const asked = this.asked.get(kind);
    return asked !== undefined && (asked.isWanted || asked.waiting !== null);
  }

  /** Nobody wants answers of a kind any more. */
  withdraw(kind: string) {
    const asked = this.asked.get(kind);
    if (!asked) return;
    asked.isWanted = false;
    asked.waiting = null;
  }

  frame(frame: Frame) {
    const asked = this.of(frame.question);
    if (asked?.isWanted) asked.answers.frame?.(frame);
  }

  corners(corners: Parameters<NonNullable<Answers["corners"]>>[0]) {
    const asked = this.of(corners.question);
    if (asked?.isWanted) asked.answers.corners?.(corners);
  }

  ahead({ question, triangles }: { question: number; triangles: number }) {
    const asked = this.of(question);
    if (asked?.isWanted) asked.answers.ahead?.(triangles);
  }

  answered(number: number, trouble: string | null) {
    const found = [...this.asked].find(([, asked]) => asked.number === number);
    if (!found) return;
    const [kind, asked] = found;
    this.asked.delete(kind);
    if (asked.isWanted) asked.answers.done?.(trouble);
    // Asked by what was just told, it is newer than what waited.
    if (asked.waiting && !this.asked.has(kind)) this.ask(kind, asked.waiting.about, asked.waiting.answers);
  }

  /** The socket is lost, and all answers with it. */
  lost() {
    const open = [...this.asked.values()];
    this.asked.clear();
    for (const { isWanted, answers, waiting } of open) {
      if (isWanted) answers.lost?.();
      waiting?.answers.lost?.();
    }
  }

  private of(number: number): Asked | undefined {
    for (const asked of this.asked.values()) if (asked.number === number) return asked;
    return undefined;
  }
}
