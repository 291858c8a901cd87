// The numbers of sources that come over a surface with time.
import { Sliding, Switching } from "../../../widgets/rows";
import { SelectionField } from "./SelectionField";
import { useRows, type FieldsProps } from "./rows";

export function WeatherFields({ source, part, onChange }: FieldsProps) {
  const { symbol, size, center, digits, put, turn, length, share, angle, rays, seed, upwards } = useRows(
    part,
    onChange,
  );
  switch (source.kind) {
    case "streaks":
      return (
        <>
          <SelectionField
            label="Comes from"
            part={part}
            value={source.from ?? null}
            none="above, where it is open"
            onChange={(from) => put({ ...source, from })}
          />
          {length("Apart", source.apart, 0.2, "fitted", (apart) => ({ ...source, apart }))}
          {length("Length", source.length, 1, "fitted", (n) => ({ ...source, length: n }))}
          {length("Width", source.width, 0.1, "fitted", (width) => ({ ...source, width }))}
          {share("Strays", source.stray ?? 0, (stray) => ({ ...source, stray }))}
          <Switching
            label="Other visible parts keep it off"
            on={source.other_parts ?? true}
            onChange={(other_parts) => put({ ...source, other_parts })}
          />
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "dust":
      return (
        <>
          {angle("Slides from", source.slope ?? 60, 1, 90, (slope) => ({ ...source, slope }))}
          {angle("Drifts in", source.drift ?? 30, 0, 90, (drift) => ({ ...source, drift }))}
          {share("Wind takes", source.wind ?? 0.5, (wind) => ({ ...source, wind }))}
          {(source.wind ?? 0.5) > 0 &&
            length("Shelter", source.shelter, 0.5, "fitted", (shelter) => ({ ...source, shelter }))}
          {rays(source.rays, (n) => ({ ...source, rays: n }))}
          <Switching
            label="Other visible parts keep it off"
            on={source.other_parts ?? true}
            onChange={(other_parts) => put({ ...source, other_parts })}
          />
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    case "waterline": {
      const half = Math.max((size[upwards] ?? 1) / 2, 1e-9);
      const middle = center[upwards] ?? 0;
      return (
        <>
          <Switching
            label="A third of the way up"
            on={source.height == null}
            onChange={(fitted) => put({ ...source, height: fitted ? null : middle - half / 3 })}
          />
          {source.height != null && (
            <Sliding
              label="Height"
              value={source.height}
              min={middle - half}
              max={middle + half}
              step={half / 100}
              unit={symbol}
              digits={digits}
              onChange={(height) => turn({ ...source, height })}
            />
          )}
          {length("Splash", source.splash, 0.3, "fitted", (splash) => ({ ...source, splash }))}
          {length("Wide", source.width, 0.3, "as high", (width) => ({ ...source, width }))}
          {length("Mark", source.band, 0.5, "all below", (band) => ({ ...source, band }))}
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    }
    case "wear":
      return (
        <>
          {length("Width", source.width, 0.1, "fitted", (width) => ({ ...source, width }))}
          {length("What rubs", source.ball, 0.3, "fitted", (ball) => ({ ...source, ball }))}
          {share("Broken", source.broken ?? 0.5, (broken) => ({ ...source, broken }))}
          {length("Grain", source.grain, 0.3, "fitted", (grain) => ({ ...source, grain }))}
          <Switching
            label="Other visible parts keep it off"
            on={source.other_parts ?? true}
            onChange={(other_parts) => put({ ...source, other_parts })}
          />
          {seed(source.seed, (n) => ({ ...source, seed: n }))}
        </>
      );
    default:
      return null;
  }
}
