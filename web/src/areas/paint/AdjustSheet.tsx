// Adjusting a whole set, or what is selected of it: shown on the stage while the numbers are set.
import { Alert, Box, Button, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { ColorWell } from "../../widgets/ColorWell";
import { CurveField } from "../../widgets/CurveField";
import type { Project } from "../../project/project";
import { activePart, chosenSelection, set, targetSet, useApp } from "../../model/state";
import { straight, type Rgba } from "../../model/choices";
import { channelNames } from "../../model/words";
import { boxOf } from "../../project/tools";
import { Around } from "../../widgets/Around";
import { Choose, Sliding } from "../../widgets/rows";

type How = Schemas["How"];

const starts: Record<How["type"], How> = {
  levels: { type: "levels", from: 0, to: 1, gamma: 1, least: 0, greatest: 1 },
  curve: { type: "curve", curve: straight },
  contrast: { type: "contrast", brightness: 0, contrast: 0 },
  shift: { type: "shift", hue: 0, chroma: 1, lightness: 0 },
  invert: { type: "invert" },
  posterise: { type: "posterise", steps: 4 },
  replace_color: { type: "replace_color", from: [1, 1, 1, 1], to: [0, 0, 0, 1], tolerance: 10 },
  blur: { type: "blur", length: 0, rounds: 5 },
  sharpen: { type: "sharpen", length: 0, rounds: 3, amount: 0.5 },
  stretch: { type: "stretch" },
  grow: { type: "grow", length: 0, rounds: 1 },
  shrink: { type: "shrink", length: 0, rounds: 1 },
};
const titles: readonly (readonly [How["type"], string])[] = [
  ["levels", "Levels"],
  ["curve", "Curve"],
  ["contrast", "Brightness, contrast"],
  ["shift", "Hue, chroma, lightness"],
  ["invert", "Invert"],
  ["posterise", "Posterise"],
  ["replace_color", "Replace a color"],
  ["blur", "Blur over the surface"],
  ["sharpen", "Sharpen over the surface"],
  ["stretch", "Stretch the range"],
  ["grow", "Spread what is lighter"],
  ["shrink", "Spread what is darker"],
];

export function AdjustSheet({ project }: { project: Project }) {
  const part = useApp(activePart);
  const target = useApp(targetSet);
  const channels = useApp((state) => state.channels);
  const selection = useApp(chosenSelection);
  const shown = useApp((state) => state.shown);
  const trouble = useApp((state) => state.previewTrouble);
  const paint = useApp((state) => state.paint);
  const [how, setHow] = useState<How>(starts.levels);
  const [strength, setStrength] = useState(100);
  const [within, setWithin] = useState<"set" | "selection">("set");
  const [looking, setLooking] = useState(true);
  const diagonal = part ? Math.max(Math.hypot(...boxOf(part).size), 1e-9) : 1;
  // What is being laid on is not shown on top of itself.
  const [laying, setLaying] = useState(false);
  const adjustment: Schemas["Adjustment"] | null =
    part && target
      ? {
          part: part.id,
          set: target.id,
          channels,
          how,
          strength: strength / 100,
          within: within === "selection" && selection ? selection.id : null,
        }
      : null;
  const asked = JSON.stringify(adjustment);
  const revision = useApp((state) => state.history.revision);
  useEffect(() => {
    const current = JSON.parse(asked) as Schemas["Adjustment"] | null;
    if (current && looking && !laying) project.preview(current);
    else project.endPreview();
  }, [asked, laying, looking, project, revision]);
  useEffect(() => () => project.endPreview(), [project]);
  if (!adjustment || !target)
    return (
      <Typography variant="body2" color="textSecondary">
        Choose a set on the board to adjust it.
      </Typography>
    );
  const accept = async () => {
    setLaying(true);
    // What was laid on becomes the ground of the next one.
    if (await project.adjust(adjustment)) setHow(starts[how.type]);
    setLaying(false);
  };
  const percent = (value: number) => Math.round(value * 100);
  return (
    <>
      <Typography variant="h2">Adjust</Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5, mb: 0.5 }} data-test="adjust-target">
        {target.name}, {channelNames(channels)}
        {shown !== target.id ? ": another set is shown, so nothing is seen of it" : ""}
      </Typography>
      <Choose
        label="How"
        value={how.type}
        options={titles}
        onChange={(type) =>
          setHow(type === "replace_color" ? ({ ...starts.replace_color, to: paint } as How) : starts[type])
        }
      />
      <Choose
        label="Where"
        value={within}
        options={
          selection
            ? [
                ["set", "everywhere"],
                ["selection", `within ${selection.name}`],
              ]
            : [["set", "everywhere"]]
        }
        onChange={setWithin}
      />
      <Box sx={{ my: 0.5 }}>
        {how.type === "levels" && (
          <>
            <Sliding
              label="From"
              value={percent(how.from)}
              min={0}
              max={100}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, from: Math.min(v / 100, how.to - 0.01) })}
            />
            <Sliding
              label="To"
              value={percent(how.to)}
              min={0}
              max={100}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, to: Math.max(v / 100, how.from + 0.01) })}
            />
            <Sliding
              label="Gamma"
              value={how.gamma}
              min={0.1}
              max={5}
              step={0.05}
              digits={2}
              onChange={(gamma) => setHow({ ...how, gamma })}
            />
            <Sliding
              label="Least"
              value={percent(how.least)}
              min={0}
              max={100}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, least: v / 100 })}
            />
            <Sliding
              label="Greatest"
              value={percent(how.greatest)}
              min={0}
              max={100}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, greatest: v / 100 })}
            />
          </>
        )}
        {how.type === "curve" && (
          <CurveField
            label="Curve"
            curve={how.curve}
            onChange={(curve) => setHow({ type: "curve", curve })}
            from="dark"
            to="light"
          />
        )}
        {how.type === "contrast" && (
          <>
            <Sliding
              label="Brightness"
              value={percent(how.brightness)}
              min={-100}
              max={100}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, brightness: v / 100 })}
            />
            <Sliding
              label="Contrast"
              value={percent(how.contrast)}
              min={-100}
              max={100}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, contrast: v / 100 })}
            />
          </>
        )}
        {how.type === "shift" && (
          <>
            <Sliding
              label="Hue"
              value={Math.round(how.hue)}
              min={-180}
              max={180}
              step={1}
              unit="°"
              onChange={(hue) => setHow({ ...how, hue })}
            />
            <Sliding
              label="Chroma"
              value={percent(how.chroma)}
              min={0}
              max={300}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, chroma: v / 100 })}
            />
            <Sliding
              label="Lightness"
              value={percent(how.lightness)}
              min={-100}
              max={100}
              step={1}
              unit="%"
              onChange={(v) => setHow({ ...how, lightness: v / 100 })}
            />
          </>
        )}
        {how.type === "posterise" && (
          <Sliding
            label="Steps"
            value={how.steps}
            min={2}
            max={32}
            step={1}
            onChange={(steps) => setHow({ type: "posterise", steps })}
          />
        )}
        {how.type === "replace_color" && (
          <>
            <Box sx={{ display: "flex", alignItems: "center", gap: 1, my: 1 }}>
              <Typography variant="body2" color="textSecondary">
                this
              </Typography>
              <ColorWell
                color={how.from as Rgba}
                mark="replace-from"
                size={30}
                withAlpha={false}
                onChange={(from) => setHow({ ...how, from })}
              />
              <Typography variant="body2" color="textSecondary">
                becomes
              </Typography>
              <ColorWell
                color={how.to as Rgba}
                mark="replace-to"
                size={30}
                withAlpha={false}
                onChange={(to) => setHow({ ...how, to })}
              />
            </Box>
            <Sliding
              label="Likeness"
              value={how.tolerance}
              min={0}
              max={60}
              step={0.5}
              unit="ΔE"
              digits={1}
              onChange={(tolerance) => setHow({ ...how, tolerance })}
            />
          </>
        )}
        {(how.type === "blur" || how.type === "grow" || how.type === "shrink") && (
          <Around shaping={how} diagonal={diagonal} most={100} onChange={setHow} />
        )}
        {how.type === "sharpen" && (
          <>
            <Around shaping={how} diagonal={diagonal} most={50} onChange={setHow} />
            <Sliding
              label="Amount"
              value={percent(how.amount)}
              min={0}
              max={400}
              step={5}
              unit="%"
              onChange={(v) => setHow({ ...how, amount: v / 100 })}
            />
          </>
        )}
        <Sliding label="Strength" value={strength} min={0} max={100} step={1} unit="%" onChange={setStrength} />
      </Box>
      {trouble && (
        <Alert severity="warning" sx={{ py: 0, mb: 1 }}>
          {trouble}
        </Alert>
      )}
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="contained" data-test="adjust-accept" onClick={() => void accept()} sx={{ flex: 1 }}>
          Lay it on
        </Button>
        <Button variant="outlined" color="inherit" aria-pressed={!looking} onClick={() => setLooking(!looking)}>
          {looking ? "Before" : "After"}
        </Button>
        <Button color="inherit" data-test="adjust-cancel" onClick={() => set({ sheet: "tool" })}>
          Cancel
        </Button>
      </Box>
    </>
  );
}
