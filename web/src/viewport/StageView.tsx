// The stage on the page: the canvas, the brush's ring, and what lies over it.
import { Box, Typography } from "@mui/material";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Project } from "../project/project";
import { activePart, get, reset, set, useApp } from "../model/state";
import { stageGrey } from "../model/theme";
import { regionOf } from "../project/tools";
import { HeatScale, LookChip, TargetChip } from "./chips";
import { AheadDialog } from "./AheadDialog";
import { followHand, type Ring } from "./pointer";
import { CornerList, CutawayHandle, PinnedPicture, StencilPicture, WipeDivider } from "./overlays";
import type { Point } from "./span";
import { Stage } from "../stage/stage";
import { useFormatWords } from "../model/formats";
import { isInHand } from "../widgets/rest";

/** None where the browser has no WebGL 2. */
function stageOn(canvas: HTMLCanvasElement): Stage | null {
  try {
    return new Stage(canvas);
  } catch (error) {
    console.error(error);
    return null;
  }
}

/** What the area in hand lays over it comes as its children. */
export function StageView({
  id,
  onProject,
  children,
}: {
  id: number;
  onProject: (project: Project | null) => void;
  children?: ReactNode;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const ringBox = useRef<SVGSVGElement>(null);
  const outlineBox = useRef<SVGPolygonElement>(null);
  const [project, setProject] = useState<Project | null>(null);
  const [canDraw, setCanDraw] = useState(true);

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    reset();
    const kept = sessionStorage.getItem(`speckle-cutaway-${id}`);
    if (kept) set({ cutaway: JSON.parse(kept) as ReturnType<typeof get>["cutaway"] });
    const stage = stageOn(element);
    setCanDraw(stage !== null);
    if (!stage) return;
    const opened = new Project(id, stage);
    setProject(opened);
    onProject(opened);
    // For tests and the curious: where things are on the page, the brush in the stage's units, and whether all
    // that was done is kept.
    const brush = (radius: number, hardness: number, opacity: number) =>
      set({ brush: { ...get().brush, radius, hardness, opacity } });
    const settled = () => get().unsaved === 0 && !isInHand();
    Object.assign(window, { speckle: { stage, state: get, brush, settled } });
    stage.onEdgePixels = (pixels) => {
      const rounded = pixels === null ? null : Math.round(pixels * 10) / 10;
      if (rounded !== get().edgePixels) set({ edgePixels: rounded });
    };
    const stopLooks = useApp.subscribe((now, before) => {
      const keys = [
        "shown",
        "look",
        "part",
        "parts",
        "wipe",
        "flipped",
        "cutaway",
        "selection",
        "trial",
        "remade",
        "area",
        "panes",
      ] as const;
      const newHeat = now.look.heat !== null && now.history.revision !== before.history.revision;
      if (keys.every((key) => now[key] === before[key]) && !newHeat) return;
      if (now.cutaway !== before.cutaway) sessionStorage.setItem(`speckle-cutaway-${id}`, JSON.stringify(now.cutaway));
      const part = activePart(now);
      stage.density = part ? { part: part.id, edge: part.median_edge } : null;
      opened.looks.refresh();
    });
    // A span's numbers change what it would cover; another tool or part lets it go.
    const stopSpans = useApp.subscribe((now, before) => {
      const keys = ["span", "tool", "part", "into", "action", "area"] as const;
      if (keys.every((key) => now[key] === before[key])) return;
      const isSpan = now.tool === "span" && now.area === "paint";
      stage.showSolid(isSpan ? regionOf(now) : null);
      if (!isSpan || now.part !== before.part || now.span.kind !== before.span.kind) {
        if (now.spanReady) set({ spanReady: false });
        opened.endFootprint();
      } else if (now.spanReady) opened.hoverFill(null);
    });
    const drawOutline = (points: Point[]) => {
      const box = element.getBoundingClientRect();
      outlineBox.current?.setAttribute("points", points.map(({ x, y }) => `${x - box.left},${y - box.top}`).join(" "));
    };
    const stopHand = followHand(element, stage, opened, (ring) => drawRing(ringBox.current, ring), drawOutline);
    return () => {
      stopHand();
      stopLooks();
      stopSpans();
      opened.close();
      stage.dispose();
      onProject(null);
    };
  }, [id, onProject]);

  return (
    <Box sx={{ position: "relative", flex: 1, minHeight: 0, borderRadius: 4, overflow: "hidden", bgcolor: stageGrey }}>
      <canvas ref={canvas} data-test="stage" style={{ display: "block", touchAction: "none" }} />
      <Box
        component="svg"
        ref={ringBox}
        sx={{ position: "absolute", inset: 0, width: 1, height: 1, pointerEvents: "none", display: "none" }}>
        <circle fill="none" stroke="#17161c" strokeOpacity={0.55} strokeWidth={3.5} />
        <circle fill="none" stroke="#fff" strokeWidth={1.8} />
        <circle fill="none" stroke="#fff" strokeOpacity={0.7} strokeWidth={1} />
      </Box>
      <Box
        component="svg"
        aria-hidden
        sx={{ position: "absolute", inset: 0, width: 1, height: 1, pointerEvents: "none" }}>
        <polygon ref={outlineBox} fill="rgb(217 81 44 / 0.15)" stroke="#fff" strokeWidth={1.5} strokeDasharray="5 4" />
      </Box>
      <StencilPicture />
      <WipeDivider />
      <LookChip />
      <HeatScale />
      <CornerList />
      <PinnedPicture />
      {project && <CutawayHandle stage={project.stage} />}
      <TargetChip project={project} />
      <AheadDialog />
      {children}
      {project && <EmptyStage />}
      {!canDraw && <CannotDraw />}
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

function CannotDraw() {
  return (
    <Box
      role="alert"
      data-test="cannot-draw"
      sx={{ position: "absolute", inset: 0, display: "grid", placeItems: "center" }}>
      <Typography sx={{ color: "#fff", maxWidth: 460 }}>
        This browser does not draw in 3D here: WebGL 2 is missing or switched off. Switch hardware acceleration on in
        its settings, or open this address in another browser. The project itself is as it was.
      </Typography>
    </Box>
  );
}

function EmptyStage() {
  const formats = useFormatWords();
  const connected = useApp((state) => state.connected);
  const parts = useApp((state) => state.parts);
  if (connected !== true || parts.length > 0) return null;
  return (
    <Box sx={{ position: "absolute", inset: 0, display: "grid", placeItems: "center", pointerEvents: "none" }}>
      <Typography sx={{ color: "#fff" }}>Drop a mesh file here to begin: {formats}.</Typography>
    </Box>
  );
}
