// An open project: the bar above, the stage, the board and sheet beside it, tray and probe below.
import {
  Box,
  Button,
  Chip,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  IconButton,
  Paper,
  Tooltip,
  Typography,
} from "@mui/material";
import { useCallback, useEffect, useState } from "react";
import { bake } from "../areas/bake";
import { deliver } from "../areas/deliver";
import { gather } from "../areas/gather";
import { layers } from "../areas/layers";
import { paint } from "../areas/paint";
import { proof } from "../areas/proof";
import { ChannelBoard } from "../board/ChannelBoard";
import { EggMark, RedoIcon, UndoIcon } from "../widgets/icons";
import type { Project } from "../project/project";
import { StageView } from "../viewport/StageView";
import { listen } from "../project/keys";
import { hand, shownHand } from "../api/hand";
import { Panes } from "./Panes";
import { ShortcutSheet } from "./ShortcutSheet";
import { activePart, intoSet, set, shownSet, useApp } from "../model/state";
import { baseOf, nameOf, swatchOf } from "../model/swatches";
import { addsWords, count, elements, hex, length } from "../model/words";
import { heading } from "../model/theme";

/** The areas, in the order in which a job goes through them. */
const areas = [gather, bake, paint, proof, layers, deliver];

export function Workbench({ id, close, onBring }: { id: number; close: () => void; onBring: () => void }) {
  const [project, setProject] = useState<Project | null>(null);
  const onProject = useCallback((opened: Project | null) => setProject(opened), []);
  const area = useApp((state) => state.area);
  const here = areas.find(({ key }) => key === area) ?? gather;
  const inArea = { id, project, onBring };
  useEffect(() => (project ? listen(project) : undefined), [project]);
  return (
    <Box sx={{ height: 1, display: "flex", flexDirection: "column" }}>
      <TopBar project={project} close={close} />
      <Box sx={{ flex: 1, minHeight: 0, pl: 1.5, pr: 0.25 }}>
        <Panes
          stage={
            <StageView id={id} onProject={onProject}>
              {here.Overlay && <here.Overlay project={project} />}
            </StageView>
          }
          tray={
            <Paper
              variant="outlined"
              component="section"
              aria-label="Tray"
              sx={{
                height: 1,
                minHeight: 96,
                px: 1.75,
                py: 1,
                borderRadius: 4,
                display: "flex",
                alignItems: "center",
                gap: here.trayGap ?? 2,
                flexShrink: 0,
                overflowX: "auto",
                scrollbarWidth: "thin",
              }}>
              <here.Tray {...inArea} />
            </Paper>
          }
          board={<ChannelBoard project={project} />}
          sheet={<here.Sheet {...inArea} />}
        />
      </Box>
      <ProbeLine isOpen={project !== null} />
      <ShortcutSheet />
      <Gone close={close} />
    </Box>
  );
}

function Gone({ close }: { close: () => void }) {
  const gone = useApp((state) => state.gone);
  return (
    <Dialog open={gone} data-test="gone">
      <DialogTitle>This project was deleted</DialogTitle>
      <DialogContent>It was taken off the shelf in another window.</DialogContent>
      <DialogActions>
        <Button variant="contained" onClick={close}>
          To the shelf
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** "skin stroke on Coat by Tern": what undo takes back, and whose it is. */
function deedWords({ label, hand }: { label: string; hand: string }): string {
  const who = shownHand(hand);
  return `${label.charAt(0).toLowerCase()}${label.slice(1)}${who === "you" ? "" : ` by ${who}`}`;
}

const square = {
  border: 1,
  borderColor: "divider",
  borderRadius: 2,
  width: 36,
  height: 34,
  bgcolor: "background.paper",
} as const;

function TopBar({ project, close }: { project: Project | null; close: () => void }) {
  const name = useApp((state) => state.project);
  const history = useApp((state) => state.history);
  const area = useApp((state) => state.area);
  const hands = useApp((state) => state.hands);
  const others = hands.filter((name) => name !== hand);
  return (
    <Box component="header" sx={{ height: 48, px: 1.5, display: "flex", alignItems: "center", gap: 1, flexShrink: 0 }}>
      <Tooltip title="To the shelf">
        <Button
          color="inherit"
          onClick={close}
          startIcon={<EggMark />}
          data-test="to-shelf"
          sx={{ fontFamily: heading, fontSize: 17, fontWeight: 650, maxWidth: 300, whiteSpace: "nowrap" }}>
          {name || "…"}
        </Button>
      </Tooltip>
      <Box component="nav" aria-label="Areas" sx={{ display: "flex", gap: 0.5, ml: 2 }}>
        {areas.map(({ key, title }) => {
          const here = area === key;
          return (
            <Button
              key={key}
              color="inherit"
              aria-current={here ? "page" : undefined}
              data-test={`area-${key}`}
              onClick={() => set({ area: key })}
              sx={{
                px: 2,
                height: 36,
                color: here ? "text.primary" : "text.secondary",
                fontWeight: here ? 700 : 400,
                bgcolor: here ? "background.paper" : "transparent",
                border: 1,
                borderColor: here ? "divider" : "transparent",
                position: "relative",
                "&::after": here
                  ? {
                      content: '""',
                      position: "absolute",
                      bottom: 3,
                      width: 34,
                      height: 3,
                      backgroundImage:
                        "radial-gradient(circle, var(--mui-palette-primary-main) 1.3px, transparent 1.6px)",
                      backgroundSize: "5.5px 3px",
                    }
                  : {},
              }}>
              {title}
            </Button>
          );
        })}
      </Box>
      <Box sx={{ flex: 1 }} />
      {others.length > 0 && (
        <Tooltip
          title={`Here as well: ${others.map(shownHand).join(", ")}. Everyone sees every stroke at once, and undo is shared.`}>
          <Chip
            size="small"
            variant="outlined"
            data-test="hands"
            label={others.length < 3 ? `with ${others.map(shownHand).join(", ")}` : `with ${others.length} others`}
          />
        </Tooltip>
      )}
      {areas.map(({ key, InBar }) => InBar && <InBar key={key} project={project} />)}
      <Tooltip title={history.undo ? `Undo ${deedWords(history.undo)} (Ctrl Z)` : "Nothing to undo"}>
        <span>
          <Button
            variant="outlined"
            color="inherit"
            startIcon={<UndoIcon />}
            disabled={!history.undo}
            onClick={() => project?.undo()}
            data-test="undo"
            sx={{ borderColor: "divider", bgcolor: "background.paper", maxWidth: 330, whiteSpace: "nowrap" }}>
            <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis" }}>
              {history.undo ? `Undo ${deedWords(history.undo)}` : "Undo"}
            </Box>
          </Button>
        </span>
      </Tooltip>
      <Tooltip title={history.redo ? `Redo ${deedWords(history.redo)} (Ctrl Shift Z)` : "Nothing to redo"}>
        <span>
          <IconButton
            disabled={!history.redo}
            onClick={() => project?.redo()}
            aria-label="Redo"
            data-test="redo"
            sx={square}>
            <RedoIcon fontSize="small" />
          </IconButton>
        </span>
      </Tooltip>
      <Tooltip title="Keys (?)">
        <IconButton onClick={() => set({ shortcuts: true })} aria-label="Keys" data-test="keys" sx={square}>
          <Box component="span" sx={{ fontFamily: heading, fontSize: 16, fontWeight: 650, width: 20 }}>
            ?
          </Box>
        </IconButton>
      </Tooltip>
    </Box>
  );
}

/** Which swatch a face is painted in. */
function PaintedIn({ value }: { value: readonly number[] }) {
  const palette = useApp((state) => state.swatches);
  const base = useApp((state) => baseOf(state.swatches, activePart(state)?.base ?? 0));
  const number = Math.round((value[0] ?? 0) * 255);
  const swatch = swatchOf(palette, number);
  if (!swatch)
    return (
      <>
        <b>unpainted</b>
        {base && (
          <>
            , prints in <b>{nameOf(base)}</b>
          </>
        )}
      </>
    );
  return (
    <>
      swatch{" "}
      <b>
        {number} {nameOf(swatch)}
      </b>
    </>
  );
}

/** Where nothing can be opened, nothing is said of a connection either. */
function ProbeLine({ isOpen }: { isOpen: boolean }) {
  const probe = useApp((state) => state.probe);
  const tool = useApp((state) => state.tool);
  const part = useApp(activePart);
  const area = useApp((state) => state.area);
  const target = useApp(intoSet);
  const isPainted = useApp((state) => shownSet(state)?.encoding === "swatch");
  const covered = useApp((state) => state.covered);
  const ahead = useApp((state) => state.ahead);
  const several = useApp((state) => state.parts.length > 1);
  const connected = useApp((state) => state.connected);
  const unsaved = useApp((state) => state.unsaved);
  const state =
    connected === null
      ? ["connecting…", "text.secondary"]
      : !connected
        ? ["not connected, trying again…", "error.main"]
        : unsaved > 0
          ? ["saving…", "warning.main"]
          : ["saved", "success.main"];
  return (
    <Box
      component="footer"
      sx={{
        height: 28,
        px: 2,
        display: "flex",
        alignItems: "center",
        gap: 2.5,
        flexShrink: 0,
        color: "text.secondary",
        fontSize: 12.5,
        whiteSpace: "nowrap",
        "& b": { color: "text.primary" },
      }}>
      {probe ? (
        <>
          <span>
            {several && <>{probe.part} · </>}vertex <b>{count(probe.vertex)}</b>
          </span>
          {probe.value && (
            <span>
              {isPainted ? (
                <PaintedIn value={probe.value} />
              ) : (
                <>
                  <b>{probe.value.map((value) => value.toFixed(2)).join(" ")}</b> · <b>{hex(probe.value)}</b>
                </>
              )}
            </span>
          )}
          <span>
            edge <b>{length(probe.edge)}</b>
          </span>
          {!probe.isActive && <span>{area === "gather" ? "click to choose it" : "hold P and click to choose it"}</span>}
          {(probe.isActive || tool === "span") && covered > 0 && target && (
            <span>
              {tool === "pour" ? "pour" : tool === "span" ? "span" : "brush"} covers{" "}
              <b>{elements(covered, target.placement)}</b>
              {ahead !== null && (
                <>
                  , <b>{addsWords(ahead)}</b>
                </>
              )}
            </span>
          )}
        </>
      ) : (
        <span>{part ? "Point at the model to read its numbers." : ""}</span>
      )}
      <Box sx={{ flex: 1 }} />
      {part && (
        <span>
          <b>{part.name}</b> · {count(part.vertices)} vertices · {count(part.faces)} faces
        </span>
      )}
      {isOpen && (
        <Typography
          component="span"
          role="status"
          data-test="saved"
          sx={{ fontSize: 12.5, color: state[1], fontWeight: 600 }}>
          ● {state[0]}
        </Typography>
      )}
    </Box>
  );
}
