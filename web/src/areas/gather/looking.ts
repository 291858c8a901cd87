// What an order would do, asked anew with every turn of it.
import { useEffect, useRef, useState } from "react";
import { newWord, type Outcome, type Wait } from "../../api/writes";
import { useShare } from "../../widgets/waiting";

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
  /** How much of what is under way is done, where that is known. */
  share: number | null;
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
  ask: (wait: Wait) => Promise<Outcome<Told>>,
  clear: () => void,
): Looking<Told> {
  const [answer, setAnswer] = useState<{ asked: string; about: string; told: Told | null } | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [wait, setWait] = useState<Wait | null>(null);
  const share = useShare(wait?.work ?? null);
  const under = useRef<AbortController | null>(null);
  useEffect(() => {
    if (asked === null) {
      clear();
      return;
    }
    const own = new AbortController();
    under.current = own;
    const timer = setTimeout(() => {
      const waiting = { signal: own.signal, work: newWord() };
      setWait(waiting);
      void ask(waiting).then(({ data, trouble }) => {
        if (own.signal.aborted) return;
        setWait(null);
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
    setWait(null);
    setTrouble("It was cancelled: turn something to look again.");
  };
  if (asked === null) return { seen: null, look: null, trouble: null, busy: false, share, cancel };
  const seen = answer?.about === about ? answer.told : null;
  // Numbers of what was asked before are not kept any more.
  const look = answer?.asked === asked ? (seen?.look ?? null) : null;
  return { seen, look, trouble, busy: wait !== null, share, cancel };
}
