// The numbers of sources that draw by chance.
import { Choose, Sliding, Switching } from "../../../widgets/rows";
import { noiseWords, patternWords, type Source } from "../../../model/sources";
import type { Part } from "../../../model/state";
import { DirectionField, ForEach, useRows, vec, type FieldsProps } from "./rows";

/** Where a noise or a pattern may be looked up on a part. */
const spacesOf = (part: Part): readonly (readonly ["part" | "world" | "uv", string])[] => [
  ["part", "the part's space"],
  ["world", "the project's space"],
  ...(part.uv_sets > 0 ? [["uv", "UV"] as const] : []),
];

export function ChanceFields({ source, part, onChange }: FieldsProps) {
  const { size, put, turn, length, share, seed } = useRows(part, onChange);
  /** How large what comes again is: a share of the image in UV, else a length. */
  const grain = (inUv: boolean, value: number | undefined, change: (size: number) => Source) =>
    inUv ? (
      <Sliding
        label="Size"
        value={value ?? 0}
        min={0}
        max={1}
        step={0.005}
        digits={3}
        zero="fitted"
        onChange={(n) => turn(change(n))}
      />
    ) : (
      length("Size", value, 0.5, "fitted", change)
    );
  switch (source.kind) {
    case "noise": {
      const space = typeof source.space === "object" ? "uv" : (source.space ?? "part");
      const inUv = space === "uv";
      // The pattern stays as large as it is when it is looked up elsewhere.
      const scale = Math.cbrt(Math.abs(part.transform.scale.reduce((a, b) => a * b, 1)));
      const unit = { world: 1, part: scale, uv: Math.max(...size) };
      const to = (next: "world" | "part" | "uv") =>
        put({
          ...source,
          size: ((source.size ?? 0) * unit[space]) / unit[next],
          space: next === "uv" ? { uv: 0 } : next,
          tiles: next === "uv" ? source.tiles : false,
          on_surface: next === "uv" ? false : source.on_surface,
        });
      return (
        <>
          <Choose
            label="Kind"
            value={source.noise ?? "gradient"}
            options={noiseWords}
            onChange={(noise) => put({ ...source, noise, tiles: noise === "simplex" ? false : source.tiles })}
          />
          {grain(inUv, source.size, (n) => ({ ...source, size: n }))}
          <Sliding
            label="Octaves"
            value={source.octaves ?? 3}
            min={1}
            max={12}
            step={1}
            onChange={(octaves) => turn({ ...source, octaves })}
          />
          <Sliding
            label="Warp"
            value={source.warp ?? 0}
            min={0}
            max={3}
            step={0.05}
            digits={2}
            onChange={(warp) => turn({ ...source, warp })}
          />
          <Choose label="In" value={space} options={spacesOf(part)} onChange={to} />
          <Sliding
            label="Contrast"
            value={Math.round((source.contrast ?? 0) * 100)}
            min={0}
            max={100}
            step={1}
            unit="%"
            onChange={(n) => turn({ ...source, contrast: n / 100 })}
          />
          {(source.octaves ?? 3) > 1 && (
            <>
              <Sliding
                label="Finer by"
                value={source.lacunarity ?? 2}
                min={1}
                max={4}
                step={0.05}
                digits={2}
                unit="×"
                onChange={(lacunarity) => turn({ ...source, lacunarity })}
              />
              <Sliding
                label="Lower by"
                value={source.gain ?? 0.5}
                min={0}
                max={1}
                step={0.01}
                digits={2}
                unit="×"
                onChange={(gain) => turn({ ...source, gain })}
              />
            </>
          )}
          {!(inUv && source.tiles) && (
            <Sliding
              label="Stretch"
              value={source.stretch ?? 1}
              min={0.1}
              max={10}
              step={0.1}
              digits={1}
              unit="×"
              curved
              onChange={(stretch) => turn({ ...source, stretch })}
            />
          )}
          {!inUv && (source.stretch ?? 1) !== 1 && (
            <>
              <DirectionField
                label="Along"
                direction={source.along ?? "up"}
                onChange={(along) => put({ ...source, along })}
              />
              <Switching
                label="As that runs over the surface"
                on={source.on_surface ?? false}
                onChange={(on_surface) => put({ ...source, on_surface })}
              />
            </>
          )}
          {inUv && source.noise !== "simplex" && (
            <Switching
              label="Tiles: comes again with each square"
              on={source.tiles ?? false}
              onChange={(tiles) => put({ ...source, tiles, stretch: tiles ? 1 : source.stretch })}
            />
          )}
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    }
    case "pattern": {
      const space = typeof source.space === "object" ? "uv" : (source.space ?? "part");
      const shows = source.shows ?? "waves";
      const isLaid = shows === "checks" || shows === "bricks";
      return (
        <>
          <Choose
            label="Shows"
            value={shows}
            options={patternWords}
            onChange={(next) => put({ ...source, shows: next })}
          />
          {grain(space === "uv", source.size, (n) => ({ ...source, size: n }))}
          {shows === "bricks" && (
            <>
              <Sliding
                label="High by"
                value={source.flat ?? 0.5}
                min={0.05}
                max={2}
                step={0.05}
                digits={2}
                unit="×"
                onChange={(flat) => turn({ ...source, flat })}
              />
              {share("Bond", source.bond ?? 0.5, (bond) => ({ ...source, bond }))}
            </>
          )}
          {(shows === "stripes" || shows === "bricks") &&
            share(shows === "bricks" ? "Joints" : "Stripes", source.share ?? (shows === "bricks" ? 0.1 : 0.5), (n) => ({
              ...source,
              share: n,
            }))}
          {shows !== "waves" && share("Softness", source.softness ?? 0, (softness) => ({ ...source, softness }))}
          <DirectionField
            label={isLaid ? "Upwards" : "Along"}
            direction={source.along ?? "up"}
            onChange={(along) => put({ ...source, along })}
          />
          <Choose
            label="In"
            value={space}
            options={spacesOf(part)}
            onChange={(next) => put({ ...source, size: 0, space: next === "uv" ? { uv: 0 } : next })}
          />
          {isLaid && (
            <Switching
              label="Each with a number of its own"
              on={source.each ?? false}
              onChange={(each) => put({ ...source, each })}
            />
          )}
          {isLaid && source.each && seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    }
    case "per_piece":
      return (
        <>
          <ForEach by={source.by} onChange={(by) => put({ ...source, by })} />
          <Sliding
            label="Different"
            value={source.colors ?? 0}
            min={0}
            max={16}
            step={1}
            zero="one each"
            onChange={(n) => turn({ ...source, colors: n < 2 ? 0 : n })}
          />
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "per_piece_shift": {
      const amounts = vec(source.amounts ?? [1, 1, 1]);
      return (
        <>
          <ForEach by={source.by} onChange={(by) => put({ ...source, by })} />
          {["Lightness", "Chroma", "Hue"].map((label, i) => (
            <Sliding
              key={label}
              label={label}
              value={Math.round((amounts[i] ?? 0) * 100)}
              min={0}
              max={100}
              step={1}
              unit="%"
              onChange={(n) => turn({ ...source, amounts: vec(amounts.map((old, k) => (k === i ? n / 100 : old))) })}
            />
          ))}
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    }
    default:
      return null;
  }
}
