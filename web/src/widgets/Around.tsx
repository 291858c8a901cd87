// How far around is looked: over a length, or so many elements.
import { useApp } from "../model/state";
import { symbols } from "../model/words";
import { Choose, Sliding } from "./rows";

export function Around<S extends { length?: number; rounds?: number }>({
  shaping,
  diagonal,
  most,
  onChange,
}: {
  shaping: S;
  diagonal: number;
  most: number;
  onChange: (shaping: S, turning: boolean) => void;
}) {
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const by = shaping.length ? "length" : "rounds";
  return (
    <>
      <Choose
        label="Around"
        value={by}
        options={[
          ["length", "over a length"],
          ["rounds", "so many elements"],
        ]}
        onChange={(next) =>
          onChange({ ...shaping, length: next === "length" ? diagonal / 50 : 0, rounds: shaping.rounds || 2 }, false)
        }
      />
      {by === "length" ? (
        <Sliding
          label="Radius"
          value={shaping.length ?? 0}
          min={diagonal / 1000}
          max={diagonal / 4}
          step={diagonal / 1000}
          unit={symbol}
          digits={diagonal < 1 ? 4 : diagonal < 10 ? 3 : diagonal < 100 ? 2 : 1}
          onChange={(length) => onChange({ ...shaping, length }, true)}
        />
      ) : (
        <Sliding
          label="Elements"
          value={shaping.rounds || 2}
          min={1}
          max={most}
          step={1}
          onChange={(rounds) => onChange({ ...shaping, rounds }, true)}
        />
      )}
    </>
  );
}
