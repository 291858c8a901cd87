// Corners of what another program read, against those of the stage: which stand at the same place,
// and how far apart their numbers are. Plain arrays in and out, so that a worker can do it.

/** Corners of triangles: where each is, and the four numbers of each set. */
export interface Corners {
  positions: Float32Array;
  /** Four numbers a corner, 0–1, as stored; by the set's name. */
  sets: Map<string, Float32Array>;
}

export interface Difference {
  name: string;
  largest: number | null;
  mean: number | null;
}

export interface Comparison {
  /** How many corners stand where one of ours does. */
  found: number;
  corners: number;
  sets: Difference[];
  /** The difference at each corner. */
  apart: Float32Array;
  /** How far about X it has to turn to stand as ours, in quarters. */
  quarter: number;
}

/** The ways another program may hold up: as ours, turned from z to y, from y to z. */
const quarters = [0, 1, -1] as const;

/** How finely places are told apart, as a share of the diagonal. */
const GRAIN = 2e-4;
/** A place this near to the rim of its cell, as a share of it, is looked for in the next one too. */
const RIM = 0.25;
/** How many corners are tried to find out which way is up. */
const PROBES = 300;

function extent(positions: Float32Array) {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i++) {
    const x = positions[i] ?? 0;
    if (x < (low[i % 3] ?? 0)) low[i % 3] = x;
    if (x > (high[i % 3] ?? 0)) high[i % 3] = x;
  }
  return Math.hypot(...low.map((x, i) => (high[i] ?? 0) - x));
}

/** Places in cells of a grid: chains of those whose cells share a slot (Teschner et al. 2003). */
class Cells {
  private readonly heads: Int32Array;
  private readonly next: Int32Array;
  private readonly mask: number;

  constructor(
    private readonly positions: Float32Array,
    private readonly grain: number,
  ) {
    const count = positions.length / 3;
    const size = 2 ** Math.ceil(Math.log2(Math.max(16, count)));
    this.mask = size - 1;
    this.heads = new Int32Array(size).fill(-1);
    this.next = new Int32Array(count);
    for (let i = 0; i < count; i++) {
      const slot = this.slot(this.cell(3 * i), this.cell(3 * i + 1), this.cell(3 * i + 2));
      this.next[i] = this.heads[slot] ?? -1;
      this.heads[slot] = i;
    }
  }

  private cell(i: number) {
    return Math.round((this.positions[i] ?? 0) / this.grain);
  }

  private slot(x: number, y: number, z: number) {
    return (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & this.mask;
  }

  private readonly low = new Int32Array(3);
  private readonly high = new Int32Array(3);

  /** Gives the corners at a place, some of them perhaps twice. */
  near(place: Float64Array, give: (corner: number) => void) {
    for (let k = 0; k < 3; k++) {
      const at = (place[k] ?? 0) / this.grain;
      // A place at the rim of a cell may have been rounded to the other side.
      this.low[k] = Math.round(at - RIM);
      this.high[k] = Math.round(at + RIM);
    }
    const [x0 = 0, y0 = 0, z0 = 0] = this.low;
    const [x1 = 0, y1 = 0, z1 = 0] = this.high;
    for (let x = x0; x <= x1; x++)
      for (let y = y0; y <= y1; y++)
        for (let z = z0; z <= z1; z++) {
          for (let i = this.heads[this.slot(x, y, z)] ?? -1; i >= 0; i = this.next[i] ?? -1) {
            if (this.cell(3 * i) === x && this.cell(3 * i + 1) === y && this.cell(3 * i + 2) === z) give(i);
          }
        }
  }
}

/**
 * Compares what was read with what is ours: at each corner with the closest number that stands at the
 * same place. Size and axis are found out: files have their own.
 */
export function compare(ours: Corners, theirs: Corners): Comparison {
  const diagonal = extent(ours.positions) || 1;
  const scale = diagonal / (extent(theirs.positions) || 1);
  const cells = new Cells(ours.positions, diagonal * GRAIN);
  const place = new Float64Array(3);
  const put = (quarter: number, i: number) => {
    const [x, y, z] = [0, 1, 2].map((k) => (theirs.positions[3 * i + k] ?? 0) * scale) as [number, number, number];
    place[0] = x;
    place[1] = quarter === 0 ? y : -quarter * z;
    place[2] = quarter === 0 ? z : quarter * y;
  };
  const count = theirs.positions.length / 3;
  const hits = quarters.map((quarter) => {
    let hit = 0;
    for (let n = 0; n < PROBES; n++) {
      let isThere = false;
      put(quarter, Math.floor((n * count) / PROBES));
      cells.near(place, () => {
        isThere = true;
      });
      hit += isThere ? 1 : 0;
    }
    return hit;
  });
  const quarter = quarters[hits.indexOf(Math.max(...hits))] ?? 0;
  const apart = new Float32Array(count);
  const pairs = [...theirs.sets].flatMap(([name, values]) => {
    const own = ours.sets.get(name);
    return [{ name, values, own, largest: 0, sum: 0, met: 0, least: Infinity }];
  });
  let found = 0;
  for (let i = 0; i < count; i++) {
    put(quarter, i);
    let isThere = false;
    for (const pair of pairs) pair.least = Infinity;
    cells.near(place, (corner) => {
      isThere = true;
      for (const pair of pairs) {
        if (!pair.own || pair.least === 0) continue;
        let most = 0;
        for (let k = 0; k < 4; k++) {
          const off = Math.abs((pair.own[4 * corner + k] ?? 0) - (pair.values[4 * i + k] ?? 0));
          // What is not a number is greater than nothing, and stays.
          if (!(off <= most)) most = off;
        }
        if (most < pair.least) pair.least = most;
      }
    });
    if (!isThere) continue;
    found += 1;
    for (const pair of pairs) {
      if (pair.least === Infinity) continue;
      apart[i] = Math.max(apart[i] ?? 0, pair.least);
      pair.largest = Math.max(pair.largest, pair.least);
      pair.sum += pair.least;
      pair.met += 1;
    }
  }
  const sets = pairs.map(({ name, largest, sum, met }) => ({
    name,
    largest: met > 0 ? largest : null,
    mean: met > 0 ? sum / met : null,
  }));
  return { found, corners: count, sets, apart, quarter };
}
