// A layer as the server counts it, cell by cell, made into a picture.

export interface Cells {
  /** Where the first cell begins, mm. */
  least: [number, number];
  /** How wide a cell is, mm. */
  side: number;
  across: number;
  down: number;
  /** By rows from the lowest y: a swatch, 64 more where paint does not go so deep; 255 outside. */
  kinds: Uint8Array;
}

const DEEP = 64;
const OUTSIDE = 255;
/** How wide the stripes of what lies within are, in cells. */
const STRIPE = 5;

export function decode(bytes: ArrayBuffer): Cells | null {
  if (bytes.byteLength < 20) return null;
  const [x = 0, y = 0, side = 1] = new Float32Array(bytes, 0, 3);
  const [across = 0, down = 0] = new Uint32Array(bytes, 12, 2);
  const kinds = new Uint8Array(bytes, 20);
  return kinds.length === across * down ? { least: [x, y], side, across, down, kinds } : null;
}

/** The layer below, and what lies within it. */
export interface Below {
  cells: Cells;
  inside: number | null;
}

/** What a kind prints in; nothing outside. */
const printed = (kind: number, inside: number | null) =>
  kind === OUTSIDE ? null : (kind & DEEP) !== 0 && inside !== null ? inside : kind & (DEEP - 1);

/** What prints below the middle of a cell; nothing where nothing does. */
function printedBelow({ least, side }: Cells, x: number, y: number, below: Below): number | null {
  const { cells, inside } = below;
  const at = (i: 0 | 1, cell: number) => Math.floor((least[i] + (cell + 0.5) * side - cells.least[i]) / cells.side);
  const [column, row] = [at(0, x), at(1, y)];
  if (column < 0 || row < 0 || column >= cells.across || row >= cells.down) return null;
  return printed(cells.kinds[row * cells.across + column] ?? OUTSIDE, inside);
}

/** A picture of it as an address: walls in their swatches; what lies within is striped, in its own or in that of
    the walls around where paint goes right through; what differs from the layer below is dotted. */
export function drawn(cells: Cells, colors: string[], inside: number | null, below: Below | null): string {
  const { across, down, kinds } = cells;
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [across, down];
  const context = canvas.getContext("2d");
  if (!context) return "";
  const image = context.createImageData(across, down);
  const shades = colors.map((color) => [1, 3, 5].map((at) => Number.parseInt(color.slice(at, at + 2), 16)));
  for (let y = 0; y < down; y++) {
    for (let x = 0; x < across; x++) {
      const kind = kinds[y * across + x] ?? OUTSIDE;
      if (kind === OUTSIDE) continue;
      const isDeep = (kind & DEEP) !== 0;
      const own = printed(kind, inside);
      const shade = shades[own ?? 0] ?? [128, 128, 128];
      const isOther = below !== null && printedBelow(cells, x, y, below) !== own && x % 3 === 0 && y % 3 === 0;
      const isLight = isDeep && (x + y) % (2 * STRIPE) < STRIPE;
      // Rows go down on a picture.
      const at = 4 * ((down - 1 - y) * across + x);
      if (isOther) {
        // Dark on what is light, and light on what is dark.
        const ink = (shade[0] ?? 0) + (shade[1] ?? 0) + (shade[2] ?? 0) > 330 ? 20 : 245;
        image.data.fill(ink, at, at + 3);
        image.data[at + 3] = 255;
        continue;
      }
      for (let i = 0; i < 3; i++) image.data[at + i] = (shade[i] ?? 0) * (isLight ? 0.78 : 1) + (isLight ? 56 : 0);
      image.data[at + 3] = 255;
    }
  }
  context.putImageData(image, 0, 0);
  return canvas.toDataURL();
}
