// The chips on the stage: what is shown, and what the tool in hand would do where.
import { Box, Button, Divider, Link, Menu, MenuItem, Paper, Slider, Typography } from "@mui/material";
import { useState } from "react";
import { targetChannels } from "../model/recipes";
import { placementWords } from "../model/placements";
import { DownIcon } from "../widgets/icons";
import type { Project } from "../project/project";
import {
  activePart,
  get,
  intoSet,
  set,
  setLook,
  showBare,
  shownSet,
  targetSet,
  useApp,
  type ColorSet,
  snapshotNames,
} from "../model/state";
import type { Look } from "../model/choices";
import { changesIn, panesOf } from "../model/paneViews";
import { wearableLook } from "../model/proof";
import { channelNames, elements, figure, length, symbols } from "../model/words";
import { blends, toolTitle } from "../model/toolWords";
import { channelName } from "../model/theme";

const chip = { position: "absolute", px: 1.25, borderRadius: 2, boxShadow: "0 1px 4px rgb(0 0 0 / 0.25)" } as const;

/** What of a set is on the stage. */
function channelWords(channel: Look["channel"], shown: ColorSet): string {
  if (shown.encoding === "swatch") return "swatches";
  if (channel === null) return shown.encoding;
  if (typeof channel === "string") return channel;
  const meaning = shown.channels[channel]?.meaning;
  return `${channelName[channel] ?? ""}${meaning ? ` ${meaning}` : ""} alone in grey`;
}

export function LookChip() {
  const part = useApp(activePart);
  const parts = useApp((state) => state.parts);
  const shown = useApp(shownSet);
  const look = useApp((state) => state.look);
  const wipe = useApp((state) => state.wipe);
  const flipped = useApp((state) => state.flipped);
  const edgePixels = useApp((state) => state.edgePixels);
  const trial = useApp((state) => (state.area === "gather" ? (state.trial?.shows ?? null) : null));
  const remade = useApp((state) => (state.area === "gather" ? state.remade?.shows : undefined));
  const wearable = useApp(wearableLook);
  const worn = useApp((state) => (state.proofing.bare ? null : wearableLook(state)));
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  if (!part) return null;
  const { heat } = look;
  const hot =
    trial === "change"
      ? "What the transfer would change"
      : trial === "lost"
        ? "As it would be, what finds no source is striped"
        : trial && trial !== "before"
          ? "As it would be"
          : remade === "after"
            ? "As it would be in its new shape"
            : remade === "loss"
              ? "How far off vertices are, ΔE"
              : heat === "density"
                ? "Edge length, as heat"
                : heat
                  ? `Change since ${heat.snapshot}, ${shown?.encoding === "data" ? "in hundredths" : "ΔE"}`
                  : null;
  const what =
    hot ??
    (flipped !== null
      ? `As it was: ${flipped}`
      : shown
        ? `${shown.name} · ${channelWords(look.channel, shown)}`
        : "Bare shape");
  const shade = worn
    ? ""
    : look.shade === "flat"
      ? "flat"
      : look.smoothUpTo >= 180
        ? "lit"
        : look.smoothUpTo <= 0
          ? "lit, faceted"
          : `lit, smooth to ${look.smoothUpTo}°`;
  const density =
    look.wire && edgePixels !== null
      ? `, edges ${length(part.median_edge)}${edgePixels < 1.5 ? ", too close to draw: come nearer" : ""}`
      : "";
  const snapshots = snapshotNames(parts);
  const choose = (change: Partial<Look>) => () => {
    setLook(change);
    // What is chosen here is shown, and no look over it.
    if (worn && ("heat" in change || "shade" in change || "channel" in change)) showBare(true);
    setAnchor(null);
  };
  return (
    <>
      <Button
        onClick={(event) => setAnchor(event.currentTarget)}
        data-test="look"
        endIcon={<DownIcon />}
        color="inherit"
        sx={{
          ...chip,
          left: 12,
          top: 12,
          bgcolor: "background.paper",
          color: "text.primary",
          "&:hover": { bgcolor: "background.default" },
        }}>
        {worn ? `${worn.name} · look` : what}
        {shade && `, ${shade}`}
        {look.parallel ? ", parallel" : ""}
        {density}
        {wipe ? `; ${wipe.snapshot} on the left` : ""}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {wearable && (
          <MenuItem
            selected={worn !== null}
            onClick={() => {
              showBare(false);
              setAnchor(null);
            }}>
            {wearable.name} · look
          </MenuItem>
        )}
        {part.sets.map((each) => (
          <MenuItem
            key={each.id}
            selected={!worn && each.id === shown?.id && heat === null}
            onClick={() => {
              set({ shown: each.id });
              choose({ heat: null })();
            }}>
            {each.name} · {each.encoding}
          </MenuItem>
        ))}
        <MenuItem
          selected={!worn && !shown && heat === null}
          onClick={() => {
            set({ shown: null });
            choose({ heat: null })();
          }}>
          Bare shape
        </MenuItem>
        <MenuItem selected={heat === "density"} onClick={choose({ heat: heat === "density" ? null : "density" })}>
          Density: edge length as heat
        </MenuItem>
        {snapshots.map((name) => (
          <MenuItem
            key={name}
            selected={heat !== null && heat !== "density" && heat.snapshot === name}
            onClick={choose({ heat: { snapshot: name } })}>
            Change since {name}, as heat
          </MenuItem>
        ))}
        <Divider />
        <MenuItem selected={look.channel === null} disabled={!shown} onClick={choose({ channel: null })}>
          R, G and B as a color
        </MenuItem>
        <Box sx={{ display: "flex", gap: 0.5, px: 2, py: 0.5, alignItems: "center" }}>
          {channelName.map((name, i) => (
            <Button
              key={name}
              size="small"
              color="inherit"
              variant={look.channel === i ? "contained" : "outlined"}
              disabled={!shown}
              aria-label={`${name} alone, in grey`}
              onClick={choose({ channel: i })}
              sx={{ minWidth: 34, px: 0 }}>
              {name}
            </Button>
          ))}
          <Typography variant="body2" color="textSecondary">
            alone, in grey
          </Typography>
        </Box>
        <MenuItem
          selected={look.channel === "alpha over checker"}
          disabled={!shown}
          onClick={choose({ channel: "alpha over checker" })}>
          Alpha as cover, over a checker
        </MenuItem>
        <Divider />
        <MenuItem selected={!worn && look.shade === "flat"} onClick={choose({ shade: "flat" })}>
          Flat: the exact values
        </MenuItem>
        <MenuItem selected={!worn && look.shade === "lit"} onClick={choose({ shade: "lit" })}>
          Lit: shape in soft daylight
        </MenuItem>
        <Box sx={{ px: 2, pt: 0.5, width: 270 }} onKeyDown={(event) => event.stopPropagation()}>
          <Typography variant="body2" color="textSecondary">
            Lit: smooth over bends up to <b>{look.smoothUpTo}°</b>
          </Typography>
          <Slider
            size="small"
            value={look.smoothUpTo}
            min={0}
            max={180}
            step={5}
            aria-label="Smooth over bends up to, in degrees"
            onChange={(_, value) => setLook({ smoothUpTo: value, shade: "lit" })}
          />
        </Box>
        <Divider />
        <MenuItem selected={look.selection} onClick={choose({ selection: !look.selection })}>
          Stripes on what is selected
        </MenuItem>
        <MenuItem selected={look.mask} onClick={choose({ mask: !look.mask })}>
          Speckles on what the mask protects
        </MenuItem>
        <MenuItem selected={look.wire} onClick={choose({ wire: !look.wire })}>
          Wireframe over it
        </MenuItem>
        <MenuItem selected={look.parallel} onClick={choose({ parallel: !look.parallel })}>
          Parallel lines of sight
        </MenuItem>
      </Menu>
    </>
  );
}

/** The scale of the heat on the stage. */
export function HeatScale() {
  const heat = useApp((state) => state.look.heat ?? changesIn(panesOf(state))[0] ?? null);
  const range = useApp((state) => state.heatRange);
  const unit = useApp((state) => symbols[state.traits.unit]);
  const shown = useApp(shownSet);
  const isTrial = useApp((state) => state.area === "gather" && state.trial?.shows === "change");
  const isLoss = useApp((state) => state.area === "gather" && state.remade?.shows === "loss");
  if ((heat === null && !isTrial && !isLoss) || !range) return null;
  const words = heat === "density" ? unit : shown?.encoding === "data" && !isLoss ? "% of the range" : "ΔE (CIEDE2000)";
  return (
    <Paper sx={{ ...chip, left: 12, top: 56, py: 0.75, width: 220 }} data-test="heat-scale">
      <Box
        sx={{
          height: 10,
          borderRadius: 1,
          background:
            "linear-gradient(to right, rgb(237 232 219), rgb(140 191 189) 33%, rgb(204 115 66) 67%, rgb(77 23 36))",
        }}
      />
      <Box sx={{ display: "flex", justifyContent: "space-between", mt: 0.25 }}>
        <Typography variant="caption">{figure(range[0])}</Typography>
        <Typography variant="caption">{figure((range[0] + range[1]) / 2)}</Typography>
        <Typography variant="caption">
          {figure(range[1])} {words}
        </Typography>
      </Box>
    </Paper>
  );
}

export function TargetChip({ project }: { project: Project | null }) {
  const part = useApp(activePart);
  const parts = useApp((state) => state.parts);
  const into = useApp((state) => state.into);
  const target = useApp(intoSet);
  const own = useApp(targetSet);
  const shown = useApp((state) => state.shown);
  const channels = useApp((state) => state.channels);
  const area = useApp((state) => state.area);
  const title = useApp(toolTitle);
  const looked = useApp((state) => state.look.channel);
  const hot = useApp((state) => state.look.heat !== null);
  const allParts = useApp((state) => state.allParts);
  const mirror = useApp((state) => state.mirror);
  const stencil = useApp((state) => state.stencil !== null && state.into === "set");
  const tool = useApp((state) => state.tool);
  const ready = useApp((state) => state.spanReady);
  const covered = useApp((state) => state.covered);
  const picking = useApp((state) => state.picking);
  const blend = useApp((state) =>
    state.action === "erase" || state.tool === "tidy" || state.into !== "set" || state.blend === "normal"
      ? null
      : blends.find((each) => each.key === state.blend)?.title.toLowerCase(),
  );
  if (area !== "paint" || !part) return null;
  const isSet = into === "set";
  const other = isSet && target && (shown !== target.id || hot);
  const unseen = isSet && target && !other && typeof looked === "number" && !channels[looked];
  const locked = isSet ? (target?.channels.filter((each, i) => channels[i] && each.locked).length ?? 0) : 0;
  const made = isSet
    ? (target?.recipes.some((recipe) => targetChannels[recipe.channels].some((on, i) => on && channels[i])) ?? false)
    : false;
  const allLocked = locked > 0 && locked === channels.filter(Boolean).length;
  const trouble = part.locked ? "locked: unlock it in Gather" : !part.visible ? "hidden: show it in Gather" : null;
  const seen = parts.filter((each) => each.visible);
  const lacking =
    allParts && own
      ? seen.filter((each) => !each.sets.some((set) => set.name === own.name)).map((each) => each.name)
      : [];
  const images = mirror.axes.map((on, i) => (on ? "XYZ"[i] : "")).join("");
  const careful = (words: string, color = "warning.main") => (
    <Box component="span" sx={{ color, fontWeight: 700 }}>
      {" "}
      · {words}
    </Box>
  );
  const fillWord =
    into === "selection" ? "Select" : into === "mask" ? "Mask" : get().action === "erase" ? "Erase" : "Paint";
  return (
    <Box
      sx={{
        position: "absolute",
        left: 12,
        bottom: 12,
        display: "flex",
        gap: 1,
        alignItems: "flex-end",
        maxWidth: "calc(100% - 24px)",
      }}>
      <Paper sx={{ ...chip, position: "static", py: 0.5 }} data-test="target">
        <Typography variant="body2">
          {picking ? (
            <>
              Click the model or the pinned picture to take its color. <b>Esc</b> leaves it.
            </>
          ) : target ? (
            <>
              {title}
              {blend ? `, ${blend}` : ""} →{" "}
              <b>
                {allParts ? "all visible parts" : part.name},{" "}
                {isSet
                  ? target.name
                  : into === "mask"
                    ? "the mask"
                    : target.name.startsWith("Selection")
                      ? target.name
                      : `selection ${target.name}`}
              </b>{" "}
              {isSet && target.encoding !== "swatch" ? `${channelNames(channels)}, ` : ""}
              {placementWords[target.placement]}
              {images && `, mirrored in ${images}`}
              {stencil && ", through the stencil"}
              {made && (target.encoding === "swatch" ? ", with volumes" : ", over its recipe")}
              {trouble && careful(trouble, "error.main")}
              {locked > 0 &&
                careful(
                  allLocked ? "locked: unlock it on the board" : "locked ones stay",
                  allLocked ? "error.main" : "warning.main",
                )}
              {unseen && careful("another channel is shown")}
              {other && (
                <>
                  {" "}
                  ·{" "}
                  <Link
                    component="button"
                    variant="body2"
                    sx={{ color: "warning.main", fontWeight: 700, verticalAlign: "baseline" }}
                    data-test="show-target"
                    onClick={() => {
                      set({ shown: target.id });
                      setLook({ heat: null });
                    }}>
                    {hot ? "heat is shown" : "another set is shown"}: show this one
                  </Link>
                </>
              )}
              {lacking.length > 0 && careful(`${lacking.join(", ")} ${lacking.length === 1 ? "lacks" : "lack"} it`)}
            </>
          ) : (
            <>Nothing to paint into: add a set on the channel board</>
          )}
        </Typography>
      </Paper>
      {tool === "span" && ready && target && project && (
        <Button
          variant="contained"
          data-test="fill-span"
          onClick={() => void project.fill(null)}
          sx={{ boxShadow: chip.boxShadow, whiteSpace: "nowrap" }}>
          {fillWord} {elements(covered, target.placement)}
        </Button>
      )}
    </Box>
  );
}
