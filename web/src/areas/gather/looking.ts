// What an order would do, asked anew with every turn of it.
import { useEffect, useRef, useState } from "react";
import type { Outcome } from "../../api/writes";

/** How long a hand rests before it is asked, in milliseconds: a slider tells of every step. */
const REST = 200;

export interface Looking<Told> {
  /** The last answer about the same, also while another is under way or where none came of it: what was turned too far
   * can be turned back. */
  seen: Told | null;
  /** By what its numbers are asked for, as long as they are of what is asked now. */
  look: number | null;
  trouble: string | null;
  busy: boolean;
  cancel: () => void;
}

/**
 * Asks what an order would do, once the hand rests; of several only the last counts. `asked` says all that the answer
 * depends on, and null asks nothing; `about` says what it is about, for which an older answer still holds; `clear` shows
 * what is again.
 */
export function useLook<Told extends { look?: number | null }>(
  asked: string | null,
  about: string,
  ask: (signal: AbortSignal) => Promise<Outcome<Told>>,
  clear: () => void,
): Looking<Told> {
  const [answer, setAnswer] = useState<{ asked: string; about: string; told: Told | null } | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const under = useRef<AbortController | null>(null);
  useEffect(() => {
    if (asked === null) {
      clear();
      return;
    }
    const own = new AbortController();
    under.current = own;
    const timer = setTimeout(() => {
      setBusy(true);
      void ask(own.signal).then(({ data, trouble }) => {
        if (own.signal.aborted) return;
        setBusy(false);
        setAnswer((before) =>
          data ? { asked, about, told: data } : before?.about === about ? { ...before, asked: "" } : null,
        );
        setTrouble(trouble);
        if (!data) clear();
      });
    }, REST);
    return () => {
      clearTimeout(timer);
      own.abort();
    };
    // What they do follows from `asked`.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [asked]);
  const cancel = () => {
    under.current?.abort();
    setBusy(false);
    setTrouble("It was cancelled: turn something to look again.");
  };
  if (asked === null) return { seen: null, look: null, trouble: null, busy: false, cancel };
  const seen = answer?.about === about ? answer.told : null;
  // Numbers of what was asked before are not kept any more.
  const look = answer?.asked === asked ? (seen?.look ?? null) : null;
  return { seen, look, trouble, busy, cancel };
}
