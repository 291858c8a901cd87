// A step of a recipe: what it starts from, how it meets what is above, and, opened, all its numbers.
import { Box, ButtonBase, Chip, Divider, IconButton, Menu, MenuItem, Typography } from "@mui/material";
import { useState } from "react";
import { MoreIcon } from "../../widgets/icons";
import { Choose, Sliding } from "../../widgets/rows";
import type { Project } from "../../project/project";
import { set as setState, useApp, type ColorSet, type Part, type Tastes } from "../../model/state";
import { channelName } from "../../model/theme";
import { useCarry } from "../../widgets/carry";
import { GripIcon } from "../../widgets/sourceIcons";
import { Shapings } from "./ShapingFields";
import { SourceFields } from "./SourceFields";
import { StepGrain } from "./StepGrain";
import {
  mergeOf,
  mergeWords,
  shapingWords,
  strengthOf,
  targetChannels,
  type Recipe,
  type Step,
} from "../../model/recipes";
import { sourceLine, sourceWords } from "../../model/sources";

interface Props {
  recipe: Recipe;
  index: number;
  part: Part;
  set: ColorSet;
  tastes: Tastes | undefined;
  remark: string | null | undefined;
  project: Project;
  onStep: (step: Step, turning: boolean) => void;
  onSteps: (steps: Step[]) => void;
  onCopy: () => void;
}

export function StepRow({ recipe, index, part, set, tastes, remark, project, onStep, onSteps, onCopy }: Props) {
  const open = useApp((state) => state.openStep === index);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { steps } = recipe;
  const step = steps[index];
  const move = (to: number) => {
    if (!step || to === index || to < 0 || to > steps.length - 1) return;
    const next = [...steps];
    next.splice(index, 1);
    next.splice(to, 0, step);
    onSteps(next);
    if (open) setState({ openStep: to });
  };
  const carry = useCarry((at) => move(at > index ? at - 1 : at));
  if (!step) return null;
  const merge = mergeOf(recipe, index, set);
  const { title, says } = sourceWords[step.source.kind];
  const off = step.off ?? false;
  const shaped = (step.shaping ?? []).map((shaping) => shapingWords[shaping.kind].title.toLowerCase());
  const line = [sourceLine(step.source), ...shaped].filter(Boolean).join(" · ");
  const choose = (act: () => void) => () => {
    setAnchor(null);
    act();
  };
  const toggle = () => setState({ openStep: open ? null : index, placing: null });
  return (
    <Box data-step={index} data-test="step" sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed" }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, py: 0.75 }}>
        <ButtonBase
          {...carry}
          aria-label={`Move ${title}`}
          data-test="grip"
          onKeyDown={(event) => {
            if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
            event.preventDefault();
            event.stopPropagation();
            move(index + (event.key === "ArrowUp" ? -1 : 1));
          }}
          sx={{
            width: 18,
            height: 40,
            ml: -0.75,
            color: "text.secondary",
            cursor: "grab",
            borderRadius: 1,
            "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
          }}>
          <GripIcon sx={{ fontSize: 20 }} />
        </ButtonBase>
        <StepGrain project={project} tastes={tastes} step={index} off={off} label={`What ${title} makes by itself`} />
        <ButtonBase
          onClick={toggle}
          aria-expanded={open}
          data-test="step-open"
          sx={{
            flex: 1,
            minWidth: 0,
            display: "block",
            textAlign: "left",
            borderRadius: 1,
            opacity: off ? 0.5 : 1,
            "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
          }}>
          <Typography
            variant="h3"
            component="span"
            sx={{ display: "block", fontSize: 14, textDecoration: off ? "line-through" : undefined }}>
            {title}
          </Typography>
          <Typography
            variant="caption"
            color="textSecondary"
            sx={{
              display: "-webkit-box",
              WebkitLineClamp: 2,
              WebkitBoxOrient: "vertical",
              overflow: "hidden",
              lineHeight: 1.3,
            }}>
            {line}
          </Typography>
        </ButtonBase>
        <Chip size="small" variant="outlined" label={off ? "off" : merge} sx={{ opacity: off ? 0.6 : 1 }} />
        <IconButton
          size="small"
          aria-label={`More about ${title}`}
          data-test="step-more"
          onClick={(event) => setAnchor(event.currentTarget)}
          sx={{ width: 24, height: 30, mr: -0.75 }}>
          <MoreIcon sx={{ fontSize: 18 }} />
        </IconButton>
      </Box>
      {remark && !off && (
        <Typography
          variant="caption"
          data-test="remark"
          sx={{ display: "block", color: "warning.main", fontWeight: 700, pb: 0.75, pl: 9 }}>
          {title} {remark}.
        </Typography>
      )}
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem dense onClick={choose(() => onStep({ ...step, off: !off }, false))}>
          {off ? "Switch on" : "Switch off"}
        </MenuItem>
        <MenuItem
          dense
          onClick={choose(() =>
            onSteps([
              ...steps.slice(0, index + 1),
              step.source.kind === "hand_paint" ? { ...step, source: { kind: "hand_paint" } } : step,
              ...steps.slice(index + 1),
            ]),
          )}>
          Duplicate
        </MenuItem>
        <MenuItem dense disabled={step.source.kind === "hand_paint"} onClick={choose(onCopy)}>
          Copy to another recipe…
        </MenuItem>
        <Divider />
        <MenuItem dense disabled={index === 0} onClick={choose(() => move(index - 1))}>
          Move up
        </MenuItem>
        <MenuItem dense disabled={index === steps.length - 1} onClick={choose(() => move(index + 1))}>
          Move down
        </MenuItem>
        <Divider />
        <MenuItem
          dense
          onClick={choose(() => {
            setState({ openStep: null });
            onSteps(steps.filter((_, i) => i !== index));
          })}
          sx={{ color: "error.main" }}>
          {step.source.kind === "hand_paint" ? "Take away, with its paint" : "Take away"}
        </MenuItem>
      </Menu>
      {open && (
        <Box
          ref={comeIntoView}
          sx={{ pb: 1, pl: 1.25, ml: 0.25, borderLeft: 2, borderColor: "primary.main", mb: 1 }}
          data-test="step-fields">
          <Typography variant="caption" color="textSecondary" sx={{ display: "block", lineHeight: 1.3, pb: 0.5 }}>
            {says}
          </Typography>
          <SourceFields
            source={step.source}
            part={part}
            set={set}
            project={project}
            onChange={(source, turning) => onStep({ ...step, source }, turning)}
          />
          {hasThree(step) && <TakeField step={step} recipe={recipe} onStep={onStep} />}
          {step.source.kind !== "hand_paint" && (
            <Shapings
              part={part}
              shapings={step.shaping ?? []}
              histograms={tastes?.steps[index]?.histograms}
              onChange={(shaping, turning) => onStep({ ...step, shaping }, turning)}
            />
          )}
          <Choose
            label="Meets the above"
            value={merge}
            options={mergeWords.map(([key, word]) => [key, word] as const)}
            onChange={(next) => onStep({ ...step, merge: next }, false)}
          />
          <Sliding
            label="Strength"
            value={Math.round(strengthOf(step, merge) * 100)}
            min={0}
            max={100}
            step={1}
            unit="%"
            onChange={(n) => onStep({ ...step, strength: n / 100 }, true)}
          />
          <MaskField step={step} part={part} recipe={recipe} set={set} onStep={onStep} />
        </Box>
      )}
    </Box>
  );
}

/** Numbers that were just opened are seen whole, as far as they fit. */
function comeIntoView(fields: HTMLElement | null) {
  fields?.closest("[data-step]")?.scrollIntoView({ block: "nearest" });
}

/** Whether a step gives three numbers. */
function hasThree({ source, shaping = [] }: Step): boolean {
  const three =
    ["image", "material", "normal", "position", "color", "per_piece_shift", "open_way"].includes(source.kind) ||
    (source.kind === "channel" && source.channel === "RGB");
  return three && !shaping.some((each) => each.kind === "ramp");
}

function TakeField({ step, recipe, onStep }: { step: Step; recipe: Recipe; onStep: Props["onStep"] }) {
  const isSingle = recipe.channels.length === 1;
  const names = ["position", "normal", "open_way"].includes(step.source.kind)
    ? ["x", "y", "z"]
    : step.source.kind === "per_piece_shift"
      ? ["lightness", "chroma", "hue"]
      : ["red", "green", "blue"];
  return (
    <Choose
      label="Of its numbers"
      value={step.take ?? "own"}
      options={[
        ["own", isSingle ? "the channel's own" : "all three"],
        ["r", names[0] ?? ""],
        ["g", names[1] ?? ""],
        ["b", names[2] ?? ""],
        ["luminance", "their luminance"],
        ...(step.source.kind === "image" ? ([["alpha", "how much is there"]] as const) : []),
      ]}
      onChange={(take) => onStep({ ...step, take: take === "own" ? null : take }, false)}
    />
  );
}

function MaskField({
  step,
  part,
  recipe,
  set,
  onStep,
}: {
  step: Step;
  part: Part;
  recipe: Recipe;
  set: ColorSet;
  onStep: Props["onStep"];
}) {
  const { mask } = step;
  const names = [
    ...part.selections.map((each) => each.name),
    ...part.helpers.filter((each) => each.role === "selection").map((each) => each.name),
  ];
  const made = targetChannels[recipe.channels];
  const channels = part.sets.flatMap((own) =>
    channelName.flatMap((name, i) =>
      own.id === set.id && made[i]
        ? []
        : [
            {
              key: `channel ${own.name} ${name}`,
              set: own.name,
              channel: name,
              says: `${own.name} · ${name}${own.channels[i]?.meaning ? ` ${own.channels[i].meaning}` : ""}`,
            },
          ],
    ),
  );
  const key = !mask
    ? "none"
    : mask.kind === "own"
      ? "own"
      : mask.kind === "selection"
        ? `selection ${mask.name}`
        : `channel ${mask.set} ${mask.channel}`;
  const options: [string, string][] = [
    ["none", "everywhere"],
    ["own", "outside the part's mask"],
    ...names.map((name) => [`selection ${name}`, `within ${name}`] as [string, string]),
    ...channels.map((each) => [each.key, `by ${each.says}`] as [string, string]),
  ];
  const invert = mask?.invert ?? false;
  const choose = (next: string) => {
    const channel = channels.find((each) => each.key === next);
    const found: Step["mask"] =
      next === "none"
        ? null
        : next === "own"
          ? { kind: "own", invert }
          : channel
            ? { kind: "channel", set: channel.set, channel: channel.channel, invert }
            : { kind: "selection", name: next.slice("selection ".length), invert };
    onStep({ ...step, mask: found }, false);
  };
  return (
    <>
      <Choose
        label="Counts"
        value={options.some(([option]) => option === key) ? key : "none"}
        options={options}
        onChange={choose}
      />
      {mask && (
        <Choose
          label="That is"
          value={invert ? "the other way round" : "as it is"}
          options={[
            ["as it is", "as it is"],
            ["the other way round", "the other way round"],
          ]}
          onChange={(next) => onStep({ ...step, mask: { ...mask, invert: next === "the other way round" } }, false)}
        />
      )}
    </>
  );
}
