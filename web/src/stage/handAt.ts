/** Where the hand is: on the page, and how hard it presses (0–1). */
export interface HandAt {
  x: number;
  y: number;
  pressure: number;
}
