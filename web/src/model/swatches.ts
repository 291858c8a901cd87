// The palette as what faces are painted in.
import type { Schemas } from "../api/client";
import { hex } from "./words";

export type Swatch = Schemas["Swatch"];
export type Filament = Schemas["Filament"];

/** That of most filaments, as the server takes it where nothing is said. */
export const USUAL_FILAMENT: Filament = { material: "", density: 1.24, price: 0, spool: null };

/** As many as faces may be painted in; the stage's shader has room for these and for 0, unpainted. */
export const MOST_PAINTED = 16;

/** Those that faces may be painted in, in the palette's order. Before any was painted they have no numbers yet:
    the server gives the first of them 1, 2, 3. */
export function paintable(palette: readonly Swatch[]): Swatch[] {
  const first = palette.slice(0, MOST_PAINTED);
  const numbered = palette.filter((swatch) => (swatch.number ?? 0) > 0);
  return numbered.length > 0 ? numbered : first.map((swatch, i) => ({ ...swatch, number: i + 1 }));
}

export const swatchOf = (palette: readonly Swatch[], number: number): Swatch | undefined =>
  paintable(palette).find((swatch) => swatch.number === number);

/** What unpainted faces print in. */
export const baseOf = (palette: readonly Swatch[], base: number): Swatch | undefined =>
  swatchOf(palette, base) ?? paintable(palette)[0];

export const nameOf = (swatch: Swatch): string => swatch.name || hex(swatch.color);

/** What it is shown in on the stage. */
export const shadeOf = (swatch: Swatch): number[] => swatch.display ?? swatch.color;

/** The colors of the numbers 0 to 16 in a row; those that are gone show the base. */
export function shades(palette: readonly Swatch[], base: number): number[] {
  const bare = baseOf(palette, base);
  const colors = Array.from({ length: MOST_PAINTED + 1 }, (_, number) => swatchOf(palette, number) ?? bare);
  return colors.flatMap((swatch) => (swatch ? shadeOf(swatch) : [1, 1, 1]));
}

/** About how light a color is, to write on it. */
export const lightness = ([r = 0, g = 0, b = 0]: readonly number[]) =>
  0.2126 * r ** 2.2 + 0.7152 * g ** 2.2 + 0.0722 * b ** 2.2;
