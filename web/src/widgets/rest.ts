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

/** How many turns wait for a hand to rest. */
let waiting = 0;

/** Whether something was turned and is not kept yet. */
export const isInHand = (): boolean => waiting > 0;

/** Does it when nothing has been held for so many milliseconds; gives what calls it off. */
export function whenRested(ms: number, then: () => void): () => void {
  let timer = 0;
  let isOver = false;
  const end = () => {
    if (!isOver) waiting--;
    isOver = true;
  };
  const rest = () => {
    timer = window.setTimeout(() => {
      if (isHeld) return rest();
      end();
      then();
    }, ms);
  };
  waiting++;
  rest();
  return () => {
    window.clearTimeout(timer);
    end();
  };
}
