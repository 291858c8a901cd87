// What lies over the stage: the divider of a wipe, the cutaway's handle, the stencil, the corners under the pointer, and the
// pinned picture.
import { Box, ButtonBase, IconButton, Paper, Tooltip, Typography } from "@mui/material";
import { useEffect, useRef, useState, type PointerEvent, type RefObject } from "react";
import { MoveIcon } from "../widgets/icons";
import { get, set, setCutaway, useApp } from "../model/state";
import type { StencilChoice } from "../model/choices";
import { hex } from "../model/words";
import type { Stage } from "../stage/stage";

/** The divider between what is now and what was. */
export function WipeDivider() {
  const wipe = useApp((state) => state.wipe);
  const after = useApp((state) => (state.trial ? "after" : "now"));
  if (!wipe) return null;
  return (
    <Divider
      share={wipe.share}
      before={wipe.snapshot}
      after={after}
      onShare={(share) => set({ wipe: { ...wipe, share } })}
    />
  );
}

/** A place between 0 and 1 across the stage, dragged by hand. */
export function Divider({
  share,
  before,
  after,
  onShare,
}: {
  share: number;
  before: string;
  after: string;
  onShare: (share: number) => void;
}) {
  const put = (next: number) => onShare(Math.min(1, Math.max(0, next)));
  const move = (event: PointerEvent<HTMLElement>) => {
    if (event.buttons !== 1) return;
    const box = event.currentTarget.parentElement?.getBoundingClientRect();
    if (box) put((event.clientX - box.left) / box.width);
  };
  const label = {
    position: "absolute",
    top: 12,
    px: 1,
    borderRadius: 1,
    bgcolor: "background.paper",
    fontSize: 12,
    whiteSpace: "nowrap",
  } as const;
  return (
    <Box
      role="slider"
      tabIndex={0}
      aria-label={`Divider between ${before} and ${after}`}
      aria-valuenow={Math.round(share * 100)}
      aria-valuemin={0}
      aria-valuemax={100}
      data-test="wipe"
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={move}
      onKeyDown={(event) => {
        const by = event.key === "ArrowRight" ? 0.02 : event.key === "ArrowLeft" ? -0.02 : 0;
        if (by) put(share + by);
      }}
      sx={{
        position: "absolute",
        top: 0,
        bottom: 0,
        left: `${share * 100}%`,
        width: 24,
        ml: "-12px",
        cursor: "ew-resize",
        touchAction: "none",
        "&::before": {
          content: '""',
          position: "absolute",
          left: 11,
          top: 0,
          bottom: 0,
          width: 2,
          bgcolor: "#FFFDF8",
          boxShadow: "0 0 0 1px rgb(0 0 0 / 0.4)",
        },
      }}>
      <Box sx={{ ...label, right: 20 }}>{before}</Box>
      <Box sx={{ ...label, left: 20 }}>{after}</Box>
      <Box
        sx={{
          position: "absolute",
          top: "50%",
          left: 0,
          width: 24,
          height: 24,
          borderRadius: "50%",
          bgcolor: "background.paper",
          border: 2,
          borderColor: "primary.main",
        }}
      />
    </Box>
  );
}

/** The cutaway is moved by a knob that sits on its plane. */
export function CutawayHandle({ stage }: { stage: Stage }) {
  const cutaway = useApp((state) => state.cutaway);
  const knob = useRef<HTMLButtonElement>(null);
  const last = useRef<{ x: number; y: number } | null>(null);
  useEffect(() => {
    const follow = () => {
      const at = stage.cutawayHandle();
      const box = knob.current?.parentElement?.getBoundingClientRect();
      if (!at || !knob.current || !box) return;
      const inside = (value: number, most: number) => Math.min(most - 16, Math.max(16, value));
      knob.current.style.left = `${inside(at.x - box.left, box.width)}px`;
      knob.current.style.top = `${inside(at.y - box.top, box.height)}px`;
    };
    follow();
    return stage.whenDrawn(follow);
  }, [stage, cutaway]);
  if (!cutaway.on) return null;
  return (
    <Tooltip title="Drag to move the cutaway">
      <ButtonBase
        ref={knob}
        aria-label="Move the cutaway"
        data-test="cutaway-handle"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          last.current = { x: event.clientX, y: event.clientY };
        }}
        onPointerMove={(event) => {
          const handle = stage.cutawayHandle();
          if (!last.current || event.buttons !== 1 || !handle) return;
          const along =
            (event.clientX - last.current.x) * handle.towards.x + (event.clientY - last.current.y) * handle.towards.y;
          last.current = { x: event.clientX, y: event.clientY };
          setCutaway({ offset: get().cutaway.offset + along * handle.unitsPerPixel });
        }}
        onPointerUp={() => {
          last.current = null;
        }}
        onKeyDown={(event) => {
          const by = event.key === "ArrowUp" ? 8 : event.key === "ArrowDown" ? -8 : 0;
          const handle = stage.cutawayHandle();
          if (by && handle) setCutaway({ offset: get().cutaway.offset + by * handle.unitsPerPixel });
        }}
        sx={{
          position: "absolute",
          width: 30,
          height: 30,
          ml: "-15px",
          mt: "-15px",
          borderRadius: "50%",
          bgcolor: "background.paper",
          border: 2,
          borderColor: "primary.main",
          touchAction: "none",
          cursor: "move",
        }}>
        <MoveIcon sx={{ fontSize: 18 }} />
      </ButtonBase>
    </Tooltip>
  );
}

/** The stencil as it lies on the screen, pale. */
export function StencilPicture() {
  const stencil = useApp((state) => (state.area === "paint" && state.into === "set" ? state.stencil : null));
  if (stencil?.lay !== "screen") return null;
  return <StencilImage stencil={stencil} />;
}

function StencilImage({ stencil }: { stencil: StencilChoice }) {
  const width = stencil.width.screen;
  const height = width * stencil.aspect;
  const common = { opacity: 0.28, pointerEvents: "none", filter: stencil.invert ? "invert(1)" : undefined } as const;
  if (stencil.repeat) {
    // A sheet large enough to cover the stage, however it is turned.
    return (
      <Box
        aria-hidden
        sx={{
          ...common,
          position: "absolute",
          left: `calc(50% + ${stencil.at.x}px - 2000px)`,
          top: `calc(50% + ${stencil.at.y}px - 2000px)`,
          width: 4000,
          height: 4000,
          backgroundImage: `url(${stencil.url})`,
          backgroundSize: `${width}px ${height}px`,
          backgroundPosition: `${2000 - width / 2}px ${2000 - height / 2}px`,
          transform: `rotate(${-stencil.turn}deg)`,
        }}
      />
    );
  }
  return (
    <Box
      component="img"
      src={stencil.url}
      alt=""
      data-test="stencil-picture"
      sx={{
        ...common,
        position: "absolute",
        left: `calc(50% + ${stencil.at.x - width / 2}px)`,
        top: `calc(50% + ${stencil.at.y - height / 2}px)`,
        width,
        height,
        transform: `rotate(${-stencil.turn}deg)`,
      }}
    />
  );
}

/** Every corner at the vertex under the pointer. */
export function CornerList() {
  const corners = useApp((state) => (state.listing ? state.corners : null));
  const listing = useApp((state) => state.listing);
  if (!listing) return null;
  return (
    <Paper
      data-test="corners"
      sx={{
        position: "absolute",
        right: 12,
        top: 12,
        px: 1.5,
        py: 1,
        borderRadius: 2,
        maxHeight: 320,
        overflowY: "auto",
        boxShadow: "0 1px 4px rgb(0 0 0 / 0.25)",
      }}>
      <Typography variant="h3">{corners ? `Corners at vertex ${corners.vertex}` : "Point at the model"}</Typography>
      {corners?.corners.map(({ face, element, value }) => (
        <Box key={`${face} ${element}`} sx={{ display: "flex", gap: 1, alignItems: "center", fontSize: 12.5 }}>
          <Box
            sx={{ width: 12, height: 12, borderRadius: "50%", bgcolor: hex(value), border: 1, borderColor: "divider" }}
          />
          <span>face {face}</span>
          <b>{value.map((x) => x.toFixed(3)).join(" ")}</b>
        </Box>
      ))}
      <Typography variant="caption" color="textSecondary">
        <b>Q</b> closes this list.
      </Typography>
    </Paper>
  );
}

/** A picture to take colors from: a click on it does. */
export function PinnedPicture() {
  const pinned = useApp((state) => state.pinned);
  const [at, setAt] = useState({ x: 12, y: 210 });
  const [width, setWidth] = useState(220);
  const image = useRef<HTMLImageElement>(null);
  if (!pinned) return null;
  const pick = (event: PointerEvent<HTMLImageElement>) => {
    const color = colorAt(image, event);
    if (color) set({ paint: [...color, get().paint[3]], picking: false });
  };
  return (
    <Paper
      sx={{
        position: "absolute",
        right: at.x,
        top: at.y,
        width,
        borderRadius: 2,
        overflow: "hidden",
        boxShadow: "0 2px 8px rgb(0 0 0 / 0.35)",
      }}
      data-test="pinned">
      <Box
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={(event) => {
          if (event.buttons !== 1) return;
          const { movementX, movementY } = event;
          setAt(({ x, y }) => ({ x: x - movementX, y: Math.max(0, y + movementY) }));
        }}
        sx={{ display: "flex", alignItems: "center", px: 1, cursor: "move", touchAction: "none" }}>
        <Typography variant="caption" noWrap sx={{ flex: 1 }}>
          {pinned.name}: click for a color
        </Typography>
        <IconButton
          size="small"
          aria-label="Make the picture smaller"
          onClick={() => setWidth(Math.max(120, width / 1.25))}>
          −
        </IconButton>
        <IconButton
          size="small"
          aria-label="Make the picture larger"
          onClick={() => setWidth(Math.min(700, width * 1.25))}>
          +
        </IconButton>
        <IconButton
          size="small"
          aria-label="Take the picture away"
          onClick={() => {
            URL.revokeObjectURL(pinned.url);
            set({ pinned: null });
          }}>
          ×
        </IconButton>
      </Box>
      <Box
        component="img"
        ref={image}
        src={pinned.url}
        alt={pinned.name}
        draggable={false}
        onPointerDown={pick}
        sx={{ display: "block", width: 1, cursor: "crosshair" }}
      />
    </Paper>
  );
}

/** The color of a picture under the pointer, as it is stored. */
function colorAt(
  image: RefObject<HTMLImageElement | null>,
  event: PointerEvent<HTMLImageElement>,
): [number, number, number] | null {
  const element = image.current;
  if (!element?.naturalWidth) return null;
  const box = element.getBoundingClientRect();
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [1, 1];
  const context = canvas.getContext("2d");
  const x = Math.floor(((event.clientX - box.left) / box.width) * element.naturalWidth);
  const y = Math.floor(((event.clientY - box.top) / box.height) * element.naturalHeight);
  context?.drawImage(element, -x, -y);
  const [r = 0, g = 0, b = 0] = context?.getImageData(0, 0, 1, 1).data ?? [];
  return [r / 255, g / 255, b / 255];
}
