// The units there are, in words.
import type { Unit } from "./state";

const words: Record<Unit, string> = {
  millimetre: "Millimetres",
  centimetre: "Centimetres",
  metre: "Metres",
  inch: "Inches",
  foot: "Feet",
};
export const units = Object.keys(words) as Unit[];
export const unitWord = (unit: Unit) => words[unit];
