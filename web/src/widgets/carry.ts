// Rows of a list carried with the pointer to another place in it, and what comes into it from elsewhere.
import { useRef, type PointerEvent } from "react";
import { create } from "zustand";

const STARTS_AFTER = 6;

/** Before which row what is carried would come; null while nothing is over the list. */
export const useDrop = create<{ at: number | null }>(() => ({ at: null }));

/** Before which row of the list on the page a place lies. */
function placeAt(x: number, y: number): number | null {
  const list = document.querySelector("[data-carried-into]");
  const box = list?.getBoundingClientRect();
  if (!list || !box || x < box.left || x > box.right || y < box.top - 40 || y > box.bottom + 60) return null;
  const rows = [...list.querySelectorAll("[data-step]")];
  const next = rows.findIndex((row) => {
    const { top, height } = row.getBoundingClientRect();
    return y < top + height / 2;
  });
  return next < 0 ? rows.length : next;
}

/** What to put on an element that can be carried; `drop` is told where it was let go. */
export function useCarry(drop: (at: number) => void) {
  const from = useRef<{ x: number; y: number; carried: boolean } | null>(null);
  return {
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      if (event.button !== 0) return;
      from.current = { x: event.clientX, y: event.clientY, carried: false };
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: PointerEvent) => {
      const start = from.current;
      if (!start) return;
      start.carried ||= Math.hypot(event.clientX - start.x, event.clientY - start.y) > STARTS_AFTER;
      if (start.carried) useDrop.setState({ at: placeAt(event.clientX, event.clientY) });
    },
    onPointerUp: (event: PointerEvent) => {
      const at = from.current?.carried ? placeAt(event.clientX, event.clientY) : null;
      useDrop.setState({ at: null });
      if (at !== null) drop(at);
    },
    onPointerCancel: () => {
      from.current = null;
      useDrop.setState({ at: null });
    },
    /** A click that ends a way is none. */
    onClickCapture: (event: { stopPropagation: () => void; preventDefault: () => void }) => {
      if (from.current?.carried) {
        event.stopPropagation();
        event.preventDefault();
      }
      from.current = null;
    },
    style: { touchAction: "none" } as const,
  };
}
