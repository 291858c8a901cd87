// When a hand rests: what it turns is kept then, so that undo takes back one turn and not every step of the way.

/** Whether a pointer is down somewhere: a knob that is held still has not been let go. */
let isHeld = false;
for (const [kind, held] of [
  ["pointerdown", true],
  ["pointerup", false],
  ["pointercancel", false],
] as const) {
  window.addEventListener(
    kind,
    () => {
      isHeld = held;
    },
    { capture: true },
  );
}
// A lift may be missed, under a menu of the system or beside the window: the next move tells.
window.addEventListener(
  "pointermove",
  ({ buttons }) => {
    isHeld = buttons !== 0;
  },
  { capture: true },
);

/** Does it when nothing has been held for so many milliseconds; gives what calls it off. */
export function whenRested(ms: number, then: () => void): () => void {
  let timer = 0;
  const rest = () => {
    timer = window.setTimeout(() => (isHeld ? rest() : then()), ms);
  };
  rest();
  return () => window.clearTimeout(timer);
}
