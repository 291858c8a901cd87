// A number that is typed into a field: taken when the field is left, and only when it was changed.
import { useState, type ChangeEvent, type FocusEvent, type KeyboardEvent } from "react";

/** The number in a text, with a comma or a point; not a number where there is none. */
export function numberIn(text: string): number {
  return Number.parseFloat(text.replace(",", "."));
}

/**
 * What a field needs. `written` is the number as the field shows it for typing: looked at and left as
 * it was, the number keeps the digits that are not written.
 */
export function useTyped(written: string, accept: (number: number) => void) {
  const [typed, setTyped] = useState<string | null>(null);
  return {
    typed,
    setTyped,
    field: {
      onFocus: (event: FocusEvent<HTMLInputElement | HTMLTextAreaElement>) => {
        setTyped(written);
        event.target.select();
      },
      onChange: (event: ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) => setTyped(event.target.value),
      onBlur: () => {
        setTyped(null);
        const number = typed === null || typed === written ? Number.NaN : numberIn(typed);
        if (Number.isFinite(number)) accept(number);
      },
      onKeyDown: (event: KeyboardEvent<HTMLElement>) => {
        event.stopPropagation();
        if (event.key === "Enter") (event.target as HTMLElement).blur();
        else if (event.key === "Escape") setTyped(null);
      },
    },
  };
}
