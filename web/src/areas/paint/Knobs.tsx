// The knobs of the brush in hand.
import { Knob } from "../../widgets/Knob";
import { isSwatches, set, setBrush, setSpan, useApp, type Part } from "../../model/state";
import { figure, symbols } from "../../model/words";
import { isRound } from "../../model/toolWords";
import { boxOf, directionOf, extentOf, rangeOf } from "../../project/tools";

/** The bar of the radius runs over three powers of ten, up to half of the part. */
const DECADES = 3;
const WIDEST_PIXELS = 400;

const unit = (value: number) => Math.min(1, Math.max(0, value));
const percent = {
  format: (value: number) => `${Math.round(value * 100)}`,
  unit: "%",
  fromTyped: (number: number) => number / 100,
  fromBar: (share: number) => Math.round(share * 100) / 100,
  toBar: (value: number) => value,
  width: 76,
};

/** The numbers of the tool in hand. */
export function Knobs({ part }: { part: Part | undefined }) {
  const tool = useApp((state) => state.tool);
  const round = useApp(isRound);
  const brush = useApp((state) => state.brush);
  const pour = useApp((state) => state.pour);
  // Swatches are laid on whole.
  const isWhole = useApp(isSwatches);
  const span = useApp((state) => state.span);
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const size = part ? Math.max(Math.hypot(...boxOf(part).size), 1e-9) : 1;
  const widest = size / 2;
  const along = part ? extentOf(part, directionOf(span)) : ([0, 1] as [number, number]);
  const range = part ? rangeOf(span, part) : along;
  const place = {
    unit: symbol,
    width: 74,
    format: figure,
    fromBar: (share: number) => along[0] + share * (along[1] - along[0]),
    toBar: (value: number) => (value - along[0]) / Math.max(along[1] - along[0], 1e-9),
  };
  const lengths = {
    unit: symbol,
    width: 74,
    format: figure,
    fromBar: (share: number) => share * size,
    toBar: (value: number) => value / size,
  };
  const ready = (change: Parameters<typeof setSpan>[0]) => {
    setSpan(change);
    set({ spanReady: true });
  };
  return (
    <>
      {round &&
        (brush.on_screen ? (
          <Knob
            label="Radius"
            value={brush.pixels}
            unit="px"
            width={74}
            format={(value) => value.toFixed(0)}
            fromBar={(share) => WIDEST_PIXELS ** share}
            toBar={(value) => Math.log(value) / Math.log(WIDEST_PIXELS)}
            onChange={(pixels) => setBrush({ pixels: Math.min(2000, Math.max(1, pixels)) })}
          />
        ) : (
          <Knob
            label="Radius"
            value={brush.radius}
            unit={symbol}
            width={74}
            format={figure}
            fromBar={(share) => widest * 10 ** (DECADES * (share - 1))}
            toBar={(value) => 1 + Math.log10(value / widest) / DECADES}
            onChange={(radius) => setBrush({ radius: Math.min(size, Math.max(radius, size * 1e-5)) })}
          />
        ))}
      {tool === "pour" && pour.kind === "crease" && (
        <Knob
          label="Bend"
          value={pour.degrees ?? part?.crease ?? 30}
          unit="°"
          width={74}
          format={(value) => value.toFixed(value < 10 ? 1 : 0)}
          fromBar={(share) => Math.round(share * 180)}
          toBar={(value) => value / 180}
          onChange={(degrees) => set({ pour: { ...pour, degrees: Math.min(180, Math.max(0, degrees)) } })}
        />
      )}
      {tool === "pour" && pour.kind === "patch" && !isWhole && (
        <Knob
          label="Tolerance"
          value={pour.tolerance}
          {...percent}
          onChange={(tolerance) => set({ pour: { ...pour, tolerance: unit(tolerance) } })}
        />
      )}
      {tool === "span" && (span.kind === "band" || span.kind === "gradient") && (
        <>
          <Knob label="From" value={range[0]} {...place} onChange={(from) => ready({ from, to: range[1] })} />
          <Knob label="To" value={range[1]} {...place} onChange={(to) => ready({ from: range[0], to })} />
        </>
      )}
      {tool === "span" && span.kind === "band" && !isWhole && (
        <Knob
          label="Soft edge"
          value={span.soft}
          {...lengths}
          onChange={(soft) => ready({ soft: Math.max(0, soft), from: range[0], to: range[1] })}
        />
      )}
      {tool === "span" && span.kind === "solid" && (
        <>
          <Knob
            label="Width"
            value={span.size[0]}
            {...lengths}
            onChange={(width) => {
              const side = Math.max(width, size * 1e-6);
              ready({ size: [side, side, side] });
            }}
          />
          <Knob
            label="Soft edge"
            value={span.softShare}
            {...percent}
            onChange={(softShare) => ready({ softShare: unit(softShare) })}
          />
        </>
      )}
      {!isWhole && (
        <Knob
          label={tool === "tidy" ? "Strength" : "Opacity"}
          value={brush.opacity}
          {...percent}
          onChange={(opacity) => setBrush({ opacity: unit(opacity) })}
        />
      )}
      {round && !isWhole && (
        <Knob
          label="Hardness"
          value={brush.hardness}
          {...percent}
          onChange={(hardness) => setBrush({ hardness: unit(hardness) })}
        />
      )}
    </>
  );
}
