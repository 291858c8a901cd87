// Panes over the stage: how many, what each shows, what is under the pointer in each, and how their numbers differ.
import { Box, Button, ButtonBase, Divider as Line, Menu, MenuItem, Paper, Typography } from "@mui/material";
import { useState } from "react";
import { paneCount, paneGrid, type Pane, type PaneLayout, type Panes, type PaneShows } from "../../model/panes";
import { laidOut, setIn } from "../../model/paneViews";
import { lookMoves, lookOf } from "../../model/proof";
import { activePart, get, set, shownSet, snapshotNames, useApp, type Part } from "../../model/state";
import { channelInk, channelName } from "../../model/theme";
import { hex } from "../../model/words";
import type { Project } from "../../project/project";
import { Divider } from "../../viewport/overlays";
import { DownIcon } from "../../widgets/icons";
import { momentIs } from "./lookInHand";

const layouts: readonly (readonly [PaneLayout, string, string])[] = [
  ["one", "1", "One pane"],
  ["two", "2", "Two panes beside each other"],
  ["four", "4", "Four panes"],
  ["wipe", "Wipe", "The second wiped over the first"],
  ["flip", "Flip", "The second in the place of the first"],
];

const panesAre = (by: Partial<Panes>) => set({ panes: { ...get().panes, ...by } });

function paneIs(at: number, by: Partial<Pane>) {
  const list = get().panes.list.map((pane, i) => (i === at ? { ...pane, ...by } : pane));
  panesAre({ list: list as unknown as Panes["list"] });
}

export function PaneChips({ project }: { project: Project | null }) {
  const panes = useApp((state) => state.panes);
  const hasParts = useApp((state) => state.parts.length > 0);
  const moment = useApp((state) => state.proofing.moment);
  const moves = useApp((state) => state.parts.some(({ id }) => lookMoves(lookOf(state, id))));
  if (!project || !hasParts) return null;
  const { layout, share, flipped, list } = panes;
  const [columns, rows] = paneGrid(layout);
  return (
    <Box sx={{ position: "absolute", inset: 0, pointerEvents: "none" }}>
      {columns > 1 && <Border sx={{ left: "50%", top: 0, bottom: 0, width: "1px" }} />}
      {rows > 1 && <Border sx={{ top: "50%", left: 0, right: 0, height: "1px" }} />}
      {layout === "wipe" && (
        <Box sx={{ position: "absolute", inset: 0, "& > *": { pointerEvents: "auto" } }}>
          <Divider share={share} before="first" after="second" onShare={(next) => panesAre({ share: next })} />
        </Box>
      )}
      {list.slice(0, paneCount[layout]).map((pane, i) => {
        const at = {
          left: `${(100 * (i % columns)) / columns}%`,
          top: `${(100 * (Math.floor(i / columns) % rows)) / rows}%`,
          width: `${100 / columns}%`,
          height: `${100 / rows}%`,
        };
        return (
          <Box key={i} data-test={`pane-${i}`} sx={{ position: "absolute", ...at }}>
            {i > 0 && <PaneChip at={i} pane={pane} below={columns * rows === 1 && i > 0} />}
            {paneCount[layout] > 1 && <ValueOf at={i} right={layout === "wipe" && i === 1} />}
            {i > 0 && columns > 1 && <Differing pane={pane} first={list[0]} />}
          </Box>
        );
      })}
      <Paper
        role="group"
        aria-label="Panes"
        sx={{
          position: "absolute",
          right: 12,
          top: 12,
          display: "flex",
          borderRadius: 2,
          overflow: "hidden",
          pointerEvents: "auto",
        }}>
        {layouts.map(([key, title, says]) => (
          <ButtonBase
            key={key}
            aria-label={says}
            title={says}
            aria-pressed={layout === key}
            data-test={`panes-${key}`}
            onClick={() => set((state) => ({ panes: laidOut(state, key) }))}
            sx={{
              px: 1,
              height: 30,
              fontSize: 13,
              fontWeight: 700,
              color: layout === key ? "primary.main" : "text.primary",
              bgcolor: layout === key ? "background.default" : "transparent",
            }}>
            {title}
          </ButtonBase>
        ))}
        {moves && (
          <ButtonBase
            aria-pressed={moment !== null}
            data-test="move"
            title="Lets what looks move move, or stand still"
            onClick={() => momentIs(moment === null ? "running" : null)}
            sx={{
              px: 1,
              fontSize: 13,
              fontWeight: 700,
              borderLeft: 1,
              borderColor: "divider",
              color: moment === null ? "text.primary" : "primary.main",
            }}>
            Move
          </ButtonBase>
        )}
        {layout === "flip" && (
          <ButtonBase
            aria-pressed={flipped}
            data-test="flip-panes"
            onClick={() => panesAre({ flipped: !flipped })}
            sx={{ px: 1, fontSize: 13, fontWeight: 700, borderLeft: 1, borderColor: "divider" }}>
            {flipped ? "second" : "first"}
          </ButtonBase>
        )}
      </Paper>
    </Box>
  );
}

function Border({ sx }: { sx: object }) {
  return <Box aria-hidden sx={{ position: "absolute", bgcolor: "#FFFDF8", opacity: 0.85, ...sx }} />;
}

/** What a pane shows, in words. */
function paneWords({ shows, part }: Pane, parts: Part[], looks: readonly { id?: number; name: string }[]): string {
  const says = {
    stage: () => "As on the stage",
    worn: () => "Looks as they are worn",
    look: () => (shows.kind === "look" ? `${looks.find(({ id }) => id === shows.look)?.name ?? "A look"} · look` : ""),
    set: () =>
      shows.kind === "set"
        ? `${shows.set}${shows.channel === null ? "" : ` · ${channelName[shows.channel] ?? ""} alone`}`
        : "",
    snapshot: () => (shows.kind === "snapshot" ? `As it was: ${shows.snapshot}` : ""),
    change: () => (shows.kind === "change" ? `Change since ${shows.snapshot}` : ""),
  }[shows.kind]();
  const alone = part === null ? undefined : parts.find(({ id }) => id === part)?.name;
  return alone ? `${says}, ${alone} alone` : says;
}

function PaneChip({ at, pane, below }: { at: number; pane: Pane; below: boolean }) {
  const parts = useApp((state) => state.parts);
  const looks = useApp((state) => state.proof.looks);
  const part = useApp(activePart);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const choose = (by: Partial<Pane>) => () => {
    paneIs(at, by);
    setAnchor(null);
  };
  const item = (key: string, title: string, shows: PaneShows) => (
    <MenuItem
      key={key}
      dense
      selected={JSON.stringify(shows) === JSON.stringify(pane.shows)}
      onClick={choose({ shows })}>
      {title}
    </MenuItem>
  );
  return (
    <>
      <Button
        color="inherit"
        endIcon={<DownIcon />}
        data-test={`pane-shows-${at}`}
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{
          position: "absolute",
          ...(below ? { right: 12, top: 52 } : { left: 12, top: 12 }),
          maxWidth: "calc(100% - 24px)",
          px: 1.25,
          borderRadius: 2,
          boxShadow: "0 1px 4px rgb(0 0 0 / 0.25)",
          bgcolor: "background.paper",
          color: "text.primary",
          pointerEvents: "auto",
          "&:hover": { bgcolor: "background.default" },
        }}>
        {paneWords(pane, parts, looks)}
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {item("stage", "As on the stage", { kind: "stage" })}
        {looks.length > 0 && item("worn", "Looks as they are worn", { kind: "worn" })}
        {looks.map(({ id = 0, name }) => item(`look ${id}`, `${name} · look`, { kind: "look", look: id }))}
        <Line />
        {part?.sets.map(({ id, name }) =>
          item(`set ${id}`, `${name} · set`, { kind: "set", set: name, channel: null }),
        )}
        {pane.shows.kind === "set" && <Alone at={at} shows={pane.shows} onDone={() => setAnchor(null)} />}
        {snapshotNames(parts).flatMap((snapshot) => [
          item(`was ${snapshot}`, `As it was: ${snapshot}`, { kind: "snapshot", snapshot }),
          item(`change ${snapshot}`, `Change since ${snapshot}, as heat`, { kind: "change", snapshot }),
        ])}
        {parts.length > 1 && <Line />}
        {parts.length > 1 && (
          <MenuItem dense selected={pane.part === null} onClick={choose({ part: null })}>
            All parts
          </MenuItem>
        )}
        {parts.length > 1 &&
          parts.map(({ id, name }) => (
            <MenuItem key={id} dense selected={pane.part === id} onClick={choose({ part: id })}>
              {name} alone
            </MenuItem>
          ))}
      </Menu>
    </>
  );
}

/** A channel of the set alone. */
function Alone({ at, shows, onDone }: { at: number; shows: PaneShows & { kind: "set" }; onDone: () => void }) {
  return (
    <Box sx={{ display: "flex", gap: 0.5, px: 2, py: 0.5, alignItems: "center" }}>
      {channelName.map((name, channel) => (
        <Button
          key={name}
          size="small"
          color="inherit"
          variant={shows.channel === channel ? "contained" : "outlined"}
          aria-label={`${name} alone, in the pane`}
          onClick={() => {
            paneIs(at, { shows: { ...shows, channel: shows.channel === channel ? null : channel } });
            onDone();
          }}
          sx={{ minWidth: 30, px: 0, py: 0 }}>
          {name}
        </Button>
      ))}
      <Typography variant="body2" color="textSecondary">
        alone
      </Typography>
    </Box>
  );
}

/** What is under the pointer in a pane. */
function ValueOf({ at, right }: { at: number; right: boolean }) {
  const value = useApp((state) => state.paneValues[at] ?? null);
  if (!value) return null;
  return (
    <Paper
      data-test={`pane-value-${at}`}
      sx={{
        position: "absolute",
        bottom: 12,
        ...(right ? { right: 12 } : { left: 12 }),
        px: 1,
        py: 0.25,
        borderRadius: 2,
        display: "flex",
        gap: 0.75,
        alignItems: "center",
        fontSize: 12,
        fontVariantNumeric: "tabular-nums",
      }}>
      <Box
        sx={{ width: 12, height: 12, borderRadius: "50%", bgcolor: hex(value), border: 1, borderColor: "divider" }}
      />
      {value.map((x) => x.toFixed(2)).join(" ")}
    </Paper>
  );
}

/** How many elements have which numbers, beside those of the first pane: what lies above it is more, below less. */
function Differing({ pane, first }: { pane: Pane; first: Pane }) {
  const part = useApp(activePart);
  const shown = useApp(shownSet);
  const figures = useApp((state) => state.figures);
  if (!part) return null;
  const [own, base] = [setIn(pane, part, shown), setIn(first, part, shown)];
  const [ownFigures, baseFigures] = [own && figures[own.id], base && figures[base.id]];
  if (pane.shows.kind !== "set" && pane.shows.kind !== "snapshot") return null;
  if (!ownFigures || !baseFigures || own?.id === base?.id) return null;
  const channels = pane.shows.kind === "set" && pane.shows.channel !== null ? [pane.shows.channel] : [0, 1, 2];
  const share = (bins: readonly number[]) => {
    const all = Math.max(
      1,
      bins.reduce((sum, n) => sum + n, 0),
    );
    return bins.map((n) => n / all);
  };
  const [width, height] = [150, 44];
  const lift = (x: number) => Math.sign(x) * Math.sqrt(Math.abs(x));
  return (
    <Paper
      data-test="pane-difference"
      sx={{ position: "absolute", right: 12, bottom: 12, px: 1, pt: 0.5, borderRadius: 2, opacity: 0.94 }}>
      <Box
        component="svg"
        role="img"
        aria-label={`How the numbers of ${own?.name ?? ""} differ from those of ${base?.name ?? ""}`}
        viewBox={`0 0 ${width} ${height}`}
        sx={{ width, height, display: "block" }}>
        <line x1={0} x2={width} y1={height / 2} y2={height / 2} stroke="currentColor" strokeOpacity={0.4} />
        {channels.map((channel) => {
          const [a, b] = [share(ownFigures[channel]?.bins ?? []), share(baseFigures[channel]?.bins ?? [])];
          const points = a.map((x, i) => {
            const difference = lift(x - (b[i] ?? 0));
            return `${((i + 0.5) / a.length) * width},${height / 2 - (difference * height) / 2}`;
          });
          return (
            <polyline
              key={channel}
              points={points.join(" ")}
              fill="none"
              stroke={channelInk[channel]}
              strokeWidth={1.4}
            />
          );
        })}
      </Box>
      <Typography variant="caption" color="textSecondary" sx={{ display: "block", lineHeight: 1.4 }}>
        more and fewer than in the first
      </Typography>
    </Paper>
  );
}
