// The stage on the page: the canvas, the brush's ring, the chip that says what is shown, and the hand.
import { Box, Button, Divider, Menu, MenuItem, Paper, Typography } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import { placementWords } from "../board/ChannelBoard";
import { DownIcon } from "../parts/icons";
import { Project } from "../project";
import { activePart, channelNames, count, get, reset, set, shownSet, targetSet, useApp } from "../state";
import { stageGrey } from "../theme";
import { Stage, type Under } from "./stage";

const HELD_EVERY_MS = 50;
const MOST_PROBES_MS = 30;

interface Ring {
  x: number;
  y: number;
  radius: number;
}

export function StageView({ id, onProject }: { id: number; onProject: (project: Project | null) => void }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const ringBox = useRef<SVGSVGElement>(null);
  const [project, setProject] = useState<Project | null>(null);

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    reset();
    const stage = new Stage(element);
    const opened = new Project(id, stage);
    setProject(opened);
    onProject(opened);
    // For tests and the curious: where things are on the page, and the brush in the stage's units.
    const brush = (radius: number, hardness: number, opacity: number) =>
      set({ brush: { ...get().brush, radius, hardness, opacity } });
    Object.assign(window, { speckle: { stage, state: get, brush } });
    const stopLooks = useApp.subscribe((now, before) => {
      if (now.shown !== before.shown || now.shade !== before.shade || now.part !== before.part) opened.refreshLook();
    });
    const stopHand = followHand(element, stage, opened, (ring) => drawRing(ringBox.current, ring));
    return () => {
      stopHand();
      stopLooks();
      opened.close();
      stage.dispose();
      onProject(null);
    };
  }, [id, onProject]);

  return (
    <Box sx={{ position: "relative", flex: 1, minHeight: 0, borderRadius: 4, overflow: "hidden", bgcolor: stageGrey }}>
      <canvas ref={canvas} data-test="stage" style={{ display: "block", touchAction: "none" }} />
      <Box component="svg" ref={ringBox} sx={{ position: "absolute", inset: 0, width: 1, height: 1, pointerEvents: "none", display: "none" }}>
        <circle fill="none" stroke="#17161c" strokeOpacity={0.55} strokeWidth={3.5} />
        <circle fill="none" stroke="#fff" strokeWidth={1.8} />
        <circle fill="none" stroke="#fff" strokeOpacity={0.7} strokeWidth={1} />
      </Box>
      <LookChip />
      <TargetChip />
      {project && <EmptyStage />}
    </Box>
  );
}

/** Moves the ring without going through the page's own bookkeeping: it follows every pointer move. */
function drawRing(svg: SVGSVGElement | null, ring: Ring | null) {
  if (!svg) return;
  svg.style.display = ring ? "block" : "none";
  if (!ring) return;
  const hardness = get().brush.hardness;
  [1, 1, hardness].forEach((share, i) => {
    const circle = svg.children[i];
    circle?.setAttribute("cx", String(ring.x));
    circle?.setAttribute("cy", String(ring.y));
    circle?.setAttribute("r", String(share * ring.radius));
  });
}

function followHand(canvas: HTMLCanvasElement, stage: Stage, project: Project, ring: (ring: Ring | null) => void) {
  let painting = false;
  let last: [number, number] = [0, 0];
  let queued: [number, number][] = [];
  let flush = 0;
  let held = 0;
  let probed = 0;

  const show = (under: Under | null, x: number, y: number) => {
    const box = canvas.getBoundingClientRect();
    const paints = get().area === "paint" && get().target !== null && (under === null || under.part === get().part);
    const visible = under && paints;
    ring(visible ? { x: x - box.left, y: y - box.top, radius: get().brush.radius * under.pixelsPerUnit } : null);
    canvas.style.cursor = visible ? "none" : "grab";
  };
  const probe = (under: Under | null) => {
    const surface = under && stage.surfaces.get(under.part);
    if (!under || !surface) {
      set({ probe: null, covered: 0 });
      stage.showFootprint(null);
      return;
    }
    const [a, b, c] = under.vertices.map((vertex) => surface.position(vertex));
    if (!a || !b || !c) return;
    const nearest = [a, b, c].map((point) => point.distanceTo(under.point));
    const vertex = under.vertices[nearest.indexOf(Math.min(...nearest))] ?? 0;
    const shown = get().shown;
    set({
      probe: {
        vertex,
        value: shown === null ? null : surface.valueAt(shown, under, vertex),
        edge: (a.distanceTo(b) + b.distanceTo(c) + c.distanceTo(a)) / 3,
      },
    });
  };
  const send = () => {
    flush = 0;
    project.moveStroke(queued);
    queued = [];
  };

  const down = (event: PointerEvent) => {
    // The camera takes what the brush does not: everything beside the model, and the other buttons.
    stage.controls.enabled = true;
    if (event.button !== 0 || get().area !== "paint") return;
    const under = stage.under(event.clientX, event.clientY);
    if (under?.part !== get().part) return;
    stage.controls.enabled = false;
    if (!project.beginStroke(event.clientX, event.clientY)) return;
    painting = true;
    last = [event.clientX, event.clientY];
    canvas.setPointerCapture(event.pointerId);
    held = window.setInterval(() => {
      if (get().brush.build_up && queued.length === 0) project.moveStroke([last], true);
    }, HELD_EVERY_MS);
  };
  const move = (event: PointerEvent) => {
    if (event.buttons !== 0 && !painting) {
      ring(null);
      stage.showFootprint(null);
      return;
    }
    const under = stage.under(event.clientX, event.clientY);
    show(under, event.clientX, event.clientY);
    if (painting) {
      const all = event.getCoalescedEvents();
      for (const each of all.length > 0 ? all : [event]) queued.push([each.clientX, each.clientY]);
      last = [event.clientX, event.clientY];
      flush ||= requestAnimationFrame(send);
      return;
    }
    if (event.timeStamp - probed < MOST_PROBES_MS) return;
    probed = event.timeStamp;
    probe(under);
    if (under && get().area === "paint" && under.part === get().part) project.hover(event.clientX, event.clientY, under.pixelsPerUnit);
    else stage.showFootprint(null);
  };
  const up = () => {
    if (!painting) return;
    painting = false;
    window.clearInterval(held);
    cancelAnimationFrame(flush);
    send();
    project.endStroke();
    stage.controls.enabled = true;
  };
  const leave = () => {
    if (painting) return;
    ring(null);
    stage.showFootprint(null);
    set({ probe: null, covered: 0 });
  };
  // Before the camera's own listener, which is on the same element.
  canvas.addEventListener("pointerdown", down, { capture: true });
  canvas.addEventListener("pointermove", move);
  canvas.addEventListener("pointerup", up);
  canvas.addEventListener("pointercancel", up);
  canvas.addEventListener("pointerleave", leave);
  return () => {
    window.clearInterval(held);
    cancelAnimationFrame(flush);
    canvas.removeEventListener("pointerdown", down, { capture: true });
    canvas.removeEventListener("pointermove", move);
    canvas.removeEventListener("pointerup", up);
    canvas.removeEventListener("pointercancel", up);
    canvas.removeEventListener("pointerleave", leave);
  };
}

const chip = { position: "absolute", left: 12, px: 1.25, borderRadius: 2, boxShadow: "0 1px 4px rgb(0 0 0 / 0.25)" } as const;

function LookChip() {
  const part = useApp(activePart);
  const shown = useApp(shownSet);
  const shade = useApp((state) => state.shade);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  if (!part) return null;
  const what = shown ? `${shown.name} · ${shown.encoding}` : "Bare shape";
  return (
    <>
      <Button onClick={(event) => setAnchor(event.currentTarget)} data-test="look" endIcon={<DownIcon />} color="inherit" sx={{ ...chip, top: 12, bgcolor: "background.paper", color: "text.primary", "&:hover": { bgcolor: "background.default" } }}>
        {what}, {shade}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {part.sets.map((each) => (
          <MenuItem key={each.id} selected={each.id === shown?.id} onClick={() => { set({ shown: each.id }); setAnchor(null); }}>{each.name} · {each.encoding}</MenuItem>
        ))}
        <MenuItem selected={!shown} onClick={() => { set({ shown: null }); setAnchor(null); }}>Bare shape</MenuItem>
        <Divider />
        <MenuItem selected={shade === "flat"} onClick={() => { set({ shade: "flat" }); setAnchor(null); }}>Flat: the exact values</MenuItem>
        <MenuItem selected={shade === "lit"} onClick={() => { set({ shade: "lit" }); setAnchor(null); }}>Lit: shape in soft daylight</MenuItem>
      </Menu>
    </>
  );
}

function TargetChip() {
  const part = useApp(activePart);
  const target = useApp(targetSet);
  const shown = useApp((state) => state.shown);
  const channels = useApp((state) => state.channels);
  const covered = useApp((state) => state.covered);
  const area = useApp((state) => state.area);
  if (area !== "paint" || !part) return null;
  const other = target && shown !== target.id;
  return (
    <Paper sx={{ ...chip, bottom: 12, py: 0.5 }} data-test="target">
      <Typography variant="body2">
        {target ? (
          <>Skin stroke → <b>{part.name}, {target.name}</b> {channelNames(channels)}, {placementWords[target.placement]}
            {covered > 0 && <> · covers {count(covered)} {target.placement === "vertex" ? "vertices" : `${target.placement}s`}</>}
            {other && <Box component="span" sx={{ color: "warning.main", fontWeight: 700 }}> · another set is shown</Box>}</>
        ) : (
          <>Nothing to paint into: add a set on the channel board</>
        )}
      </Typography>
    </Paper>
  );
}

function EmptyStage() {
  const connected = useApp((state) => state.connected);
  const parts = useApp((state) => state.parts);
  if (connected !== true || parts.length > 0) return null;
  return (
    <Box sx={{ position: "absolute", inset: 0, display: "grid", placeItems: "center", pointerEvents: "none" }}>
      <Typography sx={{ color: "#fff" }}>Drop a PLY or GLB file here to begin.</Typography>
    </Box>
  );
}
