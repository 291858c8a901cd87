// The stage on the page: the canvas, the brush's ring, the chip that says what is shown, and the hand.
import { Box, Button, Divider, Menu, MenuItem, Paper, Slider, Typography } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import { placementWords } from "../board/ChannelBoard";
import { held as heldKeys, scaleRadius } from "../keys";
import { DownIcon } from "../parts/icons";
import { Project, type HandAt } from "../project";
import { activePart, blends, channelNames, choosePart, get, isRound, length, reset, set, setBrush, setLook, shownSet, targetSet, toolTitle, useApp, type ColorSet, type Look } from "../state";
import { channelName, stageGrey } from "../theme";
import { Stage, type Under } from "./stage";

const HELD_EVERY_MS = 50;
const MOST_PROBES_MS = 30;
/** Pixels of a sideways move that double the radius, or run through all of opacity or hardness. */
const GESTURE_PIXELS = 160;

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
    stage.onEdgePixels = (pixels) => {
      const rounded = pixels === null ? null : Math.round(pixels * 10) / 10;
      if (rounded !== get().edgePixels) set({ edgePixels: rounded });
    };
    const stopLooks = useApp.subscribe((now, before) => {
      if (now.shown === before.shown && now.look === before.look && now.part === before.part && now.parts === before.parts) return;
      const part = activePart(now);
      stage.density = part ? { part: part.id, edge: part.median_edge } : null;
      opened.refreshLook();
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

/** Radius of the brush's circle on the screen. */
function ringPixels(under: Under): number {
  const { brush } = get();
  return brush.on_screen ? brush.pixels : brush.radius * under.pixelsPerUnit;
}

/** A number of the brush that a held key lets the pointer change, from where the pointer was. */
interface Gesture {
  key: string;
  x: number;
  y: number;
  pixelsPerUnit: number;
}

function followHand(canvas: HTMLCanvasElement, stage: Stage, project: Project, ring: (ring: Ring | null) => void) {
  let painting = false;
  let last: HandAt = { x: 0, y: 0, pressure: 1 };
  let queued: HandAt[] = [];
  let flush = 0;
  let held = 0;
  let probed = 0;
  let gesture: Gesture | null = null;
  let lastX = 0;
  let at = { x: 0, y: 0 };
  let pressed: { x: number; y: number } | null = null;

  const handAt = (event: PointerEvent): HandAt => ({
    x: event.clientX,
    y: event.clientY,
    // A mouse cannot tell; it counts as pressed fully.
    pressure: event.pointerType === "pen" ? event.pressure : 1,
  });
  const show = (under: Under | null, x: number, y: number) => {
    const box = canvas.getBoundingClientRect();
    const paints = get().area === "paint" && get().target !== null && (under === null || under.part === get().part);
    const visible = under && paints;
    const round = visible && isRound(get());
    ring(round ? { x: x - box.left, y: y - box.top, radius: ringPixels(under) } : null);
    canvas.style.cursor = round ? "none" : visible ? "crosshair" : get().area === "gather" && under ? "pointer" : "grab";
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
    const { parts, part: active } = get();
    const shown = surface.shownSet;
    set({
      probe: {
        part: parts.find((part) => part.id === under.part)?.name ?? "",
        isActive: under.part === active,
        vertex,
        value: shown === null ? null : surface.valueAt(shown, under, vertex),
        edge: (a.distanceTo(b) + b.distanceTo(c) + c.distanceTo(a)) / 3,
      },
    });
  };
  /** True while a held key turns the move into a change of the brush; the circle stays where it was. */
  const gestured = (event: PointerEvent): boolean => {
    const key = ["r", "o", "h"].find((each) => heldKeys.has(each));
    if (!key || get().area !== "paint" || painting) {
      gesture = null;
      return false;
    }
    if (gesture?.key !== key) {
      const under = stage.under(event.clientX, event.clientY);
      gesture = { key, x: event.clientX, y: event.clientY, pixelsPerUnit: under?.pixelsPerUnit ?? 1 };
      lastX = event.clientX;
    }
    const by = (event.clientX - lastX) / GESTURE_PIXELS;
    lastX = event.clientX;
    const { brush } = get();
    const unit = (value: number) => Math.min(1, Math.max(0, value));
    if (key === "r") scaleRadius(2 ** by);
    else if (key === "o") setBrush({ opacity: unit(brush.opacity + by) });
    else setBrush({ hardness: unit(brush.hardness + by) });
    const box = canvas.getBoundingClientRect();
    const now = get().brush;
    const radius = now.on_screen ? now.pixels : now.radius * gesture.pixelsPerUnit;
    ring({ x: gesture.x - box.left, y: gesture.y - box.top, radius });
    return true;
  };
  const send = () => {
    flush = 0;
    project.moveStroke(queued);
    queued = [];
  };

  const down = (event: PointerEvent) => {
    // The camera takes what the brush does not: everything beside the model, and the other buttons.
    stage.controls.enabled = true;
    pressed = { x: event.clientX, y: event.clientY };
    if (event.button !== 0) return;
    if (heldKeys.has("p")) {
      stage.controls.enabled = false;
      const under = stage.under(event.clientX, event.clientY);
      if (under) choosePart(under.part);
      return;
    }
    if (get().area !== "paint") return;
    const under = stage.under(event.clientX, event.clientY);
    if (under?.part !== get().part) return;
    // A pour is made by a click; a drag from the model still turns it.
    if (get().tool === "pour") return;
    stage.controls.enabled = false;
    last = handAt(event);
    if (!project.beginStroke(last)) return;
    painting = true;
    canvas.setPointerCapture(event.pointerId);
    held = window.setInterval(() => {
      if (get().brush.build_up && queued.length === 0) project.moveStroke([last], true);
    }, HELD_EVERY_MS);
  };
  // What the pointer rests on may have changed under it, by its own stroke or another hand's.
  const stopProbing = useApp.subscribe((now, before) => {
    if (now.history.revision !== before.history.revision && now.probe && !painting) probe(stage.under(at.x, at.y));
  });
  const move = (event: PointerEvent) => {
    at = { x: event.clientX, y: event.clientY };
    if (gestured(event)) return;
    if (event.buttons !== 0 && !painting) {
      ring(null);
      stage.showFootprint(null);
      return;
    }
    const under = stage.under(event.clientX, event.clientY);
    show(under, event.clientX, event.clientY);
    if (painting) {
      const all = event.getCoalescedEvents();
      for (const each of all.length > 0 ? all : [event]) queued.push(handAt(each));
      last = handAt(event);
      flush ||= requestAnimationFrame(send);
      return;
    }
    if (event.timeStamp - probed < MOST_PROBES_MS) return;
    probed = event.timeStamp;
    probe(under);
    if (under && get().area === "paint" && under.part === get().part) {
      if (get().tool === "pour") project.hoverPour(event.clientX, event.clientY);
      else project.hover(event.clientX, event.clientY, ringPixels(under));
    }
    else stage.showFootprint(null);
  };
  const up = (event: PointerEvent) => {
    // In Gather a click, not a drag, chooses the part.
    const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < 4;
    if (still && event.button === 0 && get().area === "gather") {
      const under = stage.under(event.clientX, event.clientY);
      if (under) choosePart(under.part);
    }
    if (still && event.button === 0 && get().area === "paint" && get().tool === "pour") {
      const under = stage.under(event.clientX, event.clientY);
      if (under?.part === get().part) void project.pour(event.clientX, event.clientY);
    }
    pressed = null;
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
    stopProbing();
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
  const look = useApp((state) => state.look);
  const edgePixels = useApp((state) => state.edgePixels);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  if (!part) return null;
  const what = shown ? `${shown.name} · ${channelWords(look.channel, shown)}` : "Bare shape";
  const shade = look.shade === "flat" ? "flat" : look.smoothUpTo >= 180 ? "lit" : look.smoothUpTo <= 0 ? "lit, faceted" : `lit, smooth to ${look.smoothUpTo}°`;
  const density = look.wire && edgePixels !== null ? `, edges ${length(part.median_edge)}${edgePixels < 1.5 ? ", too close to draw: come nearer" : ""}` : "";
  return (
    <>
      <Button onClick={(event) => setAnchor(event.currentTarget)} data-test="look" endIcon={<DownIcon />} color="inherit" sx={{ ...chip, top: 12, bgcolor: "background.paper", color: "text.primary", "&:hover": { bgcolor: "background.default" } }}>
        {what}, {shade}{look.parallel ? ", parallel" : ""}{density}
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {part.sets.map((each) => (
          <MenuItem key={each.id} selected={each.id === shown?.id} onClick={() => { set({ shown: each.id }); setAnchor(null); }}>{each.name} · {each.encoding}</MenuItem>
        ))}
        <MenuItem selected={!shown} onClick={() => { set({ shown: null }); setAnchor(null); }}>Bare shape</MenuItem>
        <Divider />
        <MenuItem selected={look.channel === null} disabled={!shown} onClick={() => { setLook({ channel: null }); setAnchor(null); }}>R, G and B as a color</MenuItem>
        <Box sx={{ display: "flex", gap: 0.5, px: 2, py: 0.5, alignItems: "center" }}>
          {channelName.map((name, i) => (
            <Button key={name} size="small" color="inherit" variant={look.channel === i ? "contained" : "outlined"} disabled={!shown} aria-label={`${name} alone, in grey`} onClick={() => { setLook({ channel: i }); setAnchor(null); }} sx={{ minWidth: 34, px: 0 }}>{name}</Button>
          ))}
          <Typography variant="body2" color="textSecondary">alone, in grey</Typography>
        </Box>
        <MenuItem selected={look.channel === "alpha over checker"} disabled={!shown} onClick={() => { setLook({ channel: "alpha over checker" }); setAnchor(null); }}>Alpha as cover, over a checker</MenuItem>
        <Divider />
        <MenuItem selected={look.shade === "flat"} onClick={() => { setLook({ shade: "flat" }); setAnchor(null); }}>Flat: the exact values</MenuItem>
        <MenuItem selected={look.shade === "lit"} onClick={() => { setLook({ shade: "lit" }); setAnchor(null); }}>Lit: shape in soft daylight</MenuItem>
        <Box sx={{ px: 2, pt: 0.5, width: 270 }} onKeyDown={(event) => event.stopPropagation()}>
          <Typography variant="body2" color="textSecondary">Lit: smooth over bends up to <b>{look.smoothUpTo}°</b></Typography>
          <Slider size="small" value={look.smoothUpTo} min={0} max={180} step={5} aria-label="Smooth over bends up to, in degrees" onChange={(_, value) => setLook({ smoothUpTo: value, shade: "lit" })} />
        </Box>
        <Divider />
        <MenuItem selected={look.wire} onClick={() => { setLook({ wire: !look.wire }); setAnchor(null); }}>Wireframe over it</MenuItem>
        <MenuItem selected={look.parallel} onClick={() => { setLook({ parallel: !look.parallel }); setAnchor(null); }}>Parallel lines of sight</MenuItem>
      </Menu>
    </>
  );
}

/** What of a set is on the stage. */
function channelWords(channel: Look["channel"], shown: ColorSet): string {
  if (channel === null) return shown.encoding;
  if (typeof channel === "string") return channel;
  const meaning = shown.channels[channel]?.meaning;
  return `${channelName[channel] ?? ""}${meaning ? ` ${meaning}` : ""} alone in grey`;
}

function TargetChip() {
  const part = useApp(activePart);
  const target = useApp(targetSet);
  const shown = useApp((state) => state.shown);
  const channels = useApp((state) => state.channels);
  const area = useApp((state) => state.area);
  const title = useApp(toolTitle);
  const looked = useApp((state) => state.look.channel);
  const blend = useApp((state) => (state.action === "erase" || state.blend === "normal" ? null : blends.find((each) => each.key === state.blend)?.title.toLowerCase()));
  if (area !== "paint" || !part) return null;
  const other = target && shown !== target.id;
  const unseen = target && !other && typeof looked === "number" && !channels[looked];
  const locked = target?.channels.filter((each, i) => channels[i] && each.locked).length ?? 0;
  const allLocked = locked > 0 && locked === channels.filter(Boolean).length;
  const trouble = part.locked ? "locked: unlock it in Gather" : !part.visible ? "hidden: show it in Gather" : null;
  return (
    <Paper sx={{ ...chip, bottom: 12, py: 0.5 }} data-test="target">
      <Typography variant="body2">
        {target ? (
          <>{title}{blend ? `, ${blend}` : ""} → <b>{part.name}, {target.name}</b> {channelNames(channels)}, {placementWords[target.placement]}
            {trouble && <Box component="span" sx={{ color: "error.main", fontWeight: 700 }}> · {trouble}</Box>}
            {locked > 0 && <Box component="span" sx={{ color: allLocked ? "error.main" : "warning.main", fontWeight: 700 }}> · {allLocked ? "locked: unlock it on the board" : "locked ones stay"}</Box>}
            {unseen && <Box component="span" sx={{ color: "warning.main", fontWeight: 700 }}> · another channel is shown</Box>}
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
      <Typography sx={{ color: "#fff" }}>Drop a mesh file here to begin: PLY, OBJ, STL, glTF or GLB.</Typography>
    </Box>
  );
}
