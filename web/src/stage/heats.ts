// Numbers of elements that are shown as heat in the place of a set, several of them side by side.
import type { Held, Layout, Placement } from "./values";

export type Range = [least: number, greatest: number];

interface Heat extends Held {
  numbers: Float32Array;
  range: Range;
  /** What it was spread between last. */
  scaled: string;
}

/** The heats of one mesh by what they are of; what is laid out of one has its name. */
export class Heats {
  private readonly all = new Map<string, Heat>();

  constructor(private readonly layout: Layout) {}

  /** Takes a number for each element in the place of those of before; null lets go of them. */
  take(of: string, placement: Placement, numbers: Float32Array | null) {
    this.layout.forget(Heats.name(of));
    this.all.delete(of);
    if (!numbers) return;
    let [low, high] = [Infinity, -Infinity];
    for (const number of numbers) {
      if (number < low) low = number;
      if (number > high) high = number;
    }
    const bytes = new Uint8Array(4 * numbers.length);
    this.all.set(of, { placement, numbers: numbers.slice(), bytes, range: [low, high], scaled: "" });
  }

  /** Lets go of all of them. */
  clear() {
    for (const of of [...this.all.keys()]) this.take(of, "vertex", null);
  }

  /** What they are of. */
  get names() {
    return [...this.all.keys()];
  }

  /** The colors of one, red from cold to hot. */
  get(of: string): Held | undefined {
    return this.all.get(of);
  }

  /** Its least and greatest number. */
  range(of: string): Range | null {
    return this.all.get(of)?.range ?? null;
  }

  /** Spreads each between two numbers; whether any was not. */
  scale(rangeOf: (of: string) => Range | null): boolean {
    let changed = false;
    for (const [of, heat] of this.all) {
      const range = rangeOf(of);
      if (!range || heat.scaled === String(range)) continue;
      heat.scaled = String(range);
      changed = true;
      const scale = 255 / Math.max(range[1] - range[0], 1e-30);
      heat.numbers.forEach((number, i) => {
        heat.bytes[4 * i] = Math.min(255, Math.max(0, (number - range[0]) * scale));
        heat.bytes[4 * i + 3] = 255;
      });
      this.layout.forget(Heats.name(of));
    }
    return changed;
  }

  /** What one is laid out as. */
  static name(of: string) {
    return `heat ${of}`;
  }
}
