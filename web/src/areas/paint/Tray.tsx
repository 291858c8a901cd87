// The Paint tray: families of tools with their variants, the numbers of the tool in hand, and the paint.
import {
  Box,
  Button,
  ButtonBase,
  Divider,
  IconButton,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import { Families } from "../../widgets/Families";
import { ColorWell } from "../../widgets/ColorWell";
import {
  AllIcon,
  BandIcon,
  ChosenIcon,
  CornerIcon,
  CreaseIcon,
  DeepIcon,
  FacetIcon,
  GradientIcon,
  LassoIcon,
  PatchIcon,
  PickIcon,
  PieceIcon,
  SkinIcon,
  SmearIcon,
  SoftenIcon,
  SolidIcon,
  SwapIcon,
} from "../../widgets/icons";
import { ValueWell } from "../../widgets/ValueWell";
import type { Project } from "../../project/project";
import { activePart, get, intoSet, set, setBrush, setSpan, targetSet, useApp } from "../../model/state";
import type { Tool } from "../../model/choices";
import { baseOf, lightness, shadeOf } from "../../model/swatches";
import { hex } from "../../model/words";
import { Knobs } from "./Knobs";
import { SwatchesAtHand } from "./SwatchesAtHand";

const families: { key: Tool; title: string }[] = [
  { key: "stroke", title: "Stroke" },
  { key: "pour", title: "Pour" },
  { key: "span", title: "Span" },
  { key: "tidy", title: "Tidy" },
];
const reaches = [
  { key: "skin", title: "Skin", icon: SkinIcon },
  { key: "deep", title: "Deep", icon: DeepIcon },
  { key: "facet", title: "Facet", icon: FacetIcon },
  { key: "corner", title: "Corner", icon: CornerIcon },
] as const;
const pours = [
  { key: "crease", title: "Crease", icon: CreaseIcon },
  { key: "patch", title: "Patch", icon: PatchIcon },
  { key: "piece", title: "Piece", icon: PieceIcon },
  { key: "all", title: "All", icon: AllIcon },
  { key: "chosen", title: "Selected", icon: ChosenIcon },
] as const;
const spans = [
  { key: "band", title: "Band", icon: BandIcon },
  { key: "gradient", title: "Gradient", icon: GradientIcon },
  { key: "solid", title: "Solid", icon: SolidIcon },
  { key: "lasso", title: "Lasso", icon: LassoIcon },
] as const;
const tidies = [
  { key: "soften", title: "Soften", icon: SoftenIcon },
  { key: "smear", title: "Smear", icon: SmearIcon },
] as const;

/** One of a family's tools. */
function Variant({
  name,
  title,
  icon: Icon,
  on,
  onChoose,
}: {
  name: string;
  title: string;
  icon: typeof SkinIcon;
  on: boolean;
  onChoose: () => void;
}) {
  return (
    <ButtonBase
      aria-pressed={on}
      data-test={name}
      onClick={onChoose}
      sx={{
        display: "flex",
        flexDirection: "column",
        width: 53,
        py: 0.5,
        borderRadius: 2,
        border: 2,
        borderColor: on ? "primary.main" : "divider",
        bgcolor: on ? "color-mix(in srgb, var(--mui-palette-primary-main) 12%, transparent)" : "transparent",
        "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
      }}>
      <Icon sx={{ fontSize: 22 }} />
      <Typography variant="caption" sx={{ lineHeight: 1.2, fontSize: 11.5 }}>
        {title}
      </Typography>
    </ButtonBase>
  );
}

function Variants() {
  const tool = useApp((state) => state.tool);
  const reach = useApp((state) => state.brush.reach);
  const pour = useApp((state) => state.pour);
  const span = useApp((state) => state.span.kind);
  const tidy = useApp((state) => state.tidy);
  return (
    <Box sx={{ display: "flex", gap: 0.5 }}>
      {tool === "stroke" &&
        reaches.map(({ key, title, icon }) => (
          <Variant
            key={key}
            name={`reach-${key}`}
            title={title}
            icon={icon}
            on={reach === key}
            onChoose={() => setBrush({ reach: key })}
          />
        ))}
      {tool === "pour" &&
        pours.map(({ key, title, icon }) => (
          <Variant
            key={key}
            name={`pour-${key}`}
            title={title}
            icon={icon}
            on={pour.kind === key}
            onChoose={() => set({ pour: { ...pour, kind: key } })}
          />
        ))}
      {tool === "span" &&
        spans.map(({ key, title, icon }) => (
          <Variant
            key={key}
            name={`span-${key}`}
            title={title}
            icon={icon}
            on={span === key}
            onChoose={() => setSpan({ kind: key })}
          />
        ))}
      {tool === "tidy" &&
        tidies.map(({ key, title, icon }) => (
          <Variant
            key={key}
            name={`tidy-${key}`}
            title={title}
            icon={icon}
            on={tidy === key}
            onChoose={() => set({ tidy: key })}
          />
        ))}
    </Box>
  );
}

/** The paint: a color with a second one at hand and the palette, or one number for data. */
function Paint({ project }: { project: Project | null }) {
  const target = useApp(targetSet);
  const paint = useApp((state) => state.paint);
  const second = useApp((state) => state.second);
  const value = useApp((state) => state.value);
  const recent = useApp((state) => state.recent);
  const swatches = useApp((state) => state.swatches);
  const picking = useApp((state) => state.picking);
  const withAlpha = useApp((state) => state.channels[3]);
  const pick = (
    <Tooltip title="Take a color from the model or the pinned picture (I)">
      <IconButton
        size="small"
        color={picking ? "primary" : "inherit"}
        aria-pressed={picking}
        aria-label="Take a color from the stage"
        data-test="pick"
        onClick={() => set({ picking: !picking })}
        sx={{ p: 0.375 }}>
        <PickIcon sx={{ fontSize: 20 }} />
      </IconButton>
    </Tooltip>
  );
  if (target?.encoding === "swatch") return <SwatchesAtHand pick={pick} />;
  if (target?.encoding === "data")
    return (
      <>
        <ValueWell value={value} onChange={(next) => set({ value: next })} />
        {pick}
      </>
    );
  const add = () => {
    const { paint: now, swatches: all } = get();
    void project?.edit({ type: "set_palette", swatches: [...all, { name: "", color: now.slice(0, 3) }] });
  };
  return (
    <>
      <Box sx={{ position: "relative", width: 62, height: 54, flexShrink: 0 }}>
        <Box sx={{ position: "absolute", right: 0, bottom: 0 }}>
          <ColorWell
            color={second}
            mark="second"
            size={28}
            withAlpha={false}
            recent={recent}
            onChange={(color) => set({ second: color })}
          />
        </Box>
        <Box sx={{ position: "absolute", left: 0, top: 0 }}>
          <ColorWell color={paint} withAlpha={withAlpha} recent={recent} onChange={(color) => set({ paint: color })} />
        </Box>
      </Box>
      <Box sx={{ display: "flex", flexDirection: "column" }}>
        <Tooltip title="Swap with the second color (X)">
          <IconButton
            size="small"
            aria-label="Swap with the second color"
            data-test="swap"
            onClick={() => set({ paint: second, second: paint })}
            sx={{ p: 0.375 }}>
            <SwapIcon sx={{ fontSize: 20 }} />
          </IconButton>
        </Tooltip>
        {pick}
      </Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "repeat(5, 20px)", gap: "3px" }}>
        {swatches.slice(0, 9).map((swatch, i) => (
          <Tooltip key={i} title={`${swatch.name || hex(swatch.color)} (${i + 1})`}>
            <ButtonBase
              aria-label={`Paint with ${swatch.name || hex(swatch.color)}`}
              data-test={`swatch-${i + 1}`}
              onClick={() =>
                set({ paint: [swatch.color[0] ?? 0, swatch.color[1] ?? 0, swatch.color[2] ?? 0, paint[3]] })
              }
              sx={{
                width: 20,
                height: 20,
                borderRadius: "50%",
                bgcolor: hex(swatch.color),
                border: 1,
                borderColor: "divider",
                fontSize: 10.5,
                fontWeight: 700,
                color: lightness(swatch.color) > 0.3 ? "#2A2933" : "#FFFDF8",
              }}>
              {i + 1}
            </ButtonBase>
          </Tooltip>
        ))}
        <Tooltip title="Add the paint to the palette">
          <ButtonBase
            aria-label="Add the paint to the palette"
            data-test="add-swatch"
            onClick={add}
            sx={{
              width: 20,
              height: 20,
              borderRadius: "50%",
              border: 1,
              borderColor: "text.secondary",
              borderStyle: "dotted",
            }}>
            +
          </ButtonBase>
        </Tooltip>
      </Box>
    </>
  );
}

export function PaintTray({ project }: { project: Project | null }) {
  const part = useApp(activePart);
  const into = useApp((state) => state.into);
  const target = useApp(intoSet);
  const tool = useApp((state) => state.tool);
  const action = useApp((state) => state.action);
  const afresh = useApp((state) => state.afresh);
  const bare = useApp((state) => baseOf(state.swatches, activePart(state)?.base ?? 0));
  const words = { set: ["Paint", "Erase"], selection: ["Select", "Let go"], mask: ["Protect", "Open"] }[into];
  return (
    <>
      <Box>
        <Families
          label="Tools"
          mark="tool"
          families={families}
          value={tool}
          onChange={(key) => set({ tool: key, picking: false })}
        />
        <Variants />
      </Box>
      {tool !== "tidy" && (
        <ToggleButtonGroup
          orientation="vertical"
          exclusive
          size="small"
          value={action}
          onChange={(_, value: "paint" | "erase" | null) => {
            if (value) set({ action: value });
          }}
          aria-label="What the tool does">
          <ToggleButton value="paint" sx={{ py: 0.25, px: 0.5, textTransform: "none", width: 56 }}>
            {words[0]}
          </ToggleButton>
          <ToggleButton value="erase" data-test="erase" sx={{ py: 0.25, px: 0.5, textTransform: "none" }}>
            {words[1]}
          </ToggleButton>
        </ToggleButtonGroup>
      )}
      <Divider orientation="vertical" flexItem />
      <Knobs part={part} />
      <Divider orientation="vertical" flexItem />
      {into === "set" && tool === "tidy" && target?.encoding === "swatch" ? (
        <Typography variant="caption" color="textSecondary" sx={{ width: 190 }}>
          Swatches do not mix: specks are swept up in Layers, and Patch pours over whole regions.
        </Typography>
      ) : into === "set" && tool === "tidy" ? (
        <Typography variant="caption" color="textSecondary" sx={{ width: 150 }}>
          Moves what is there; no paint is laid on.
        </Typography>
      ) : into === "set" && action === "paint" ? (
        <Paint project={project} />
      ) : into === "set" ? (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Box
            sx={{
              width: 44,
              height: 44,
              borderRadius: "50%",
              bgcolor:
                target?.encoding === "swatch" && bare ? hex(shadeOf(bare)) : target ? hex(target.ground) : undefined,
              border: 1,
              borderColor: "divider",
            }}
          />
          <Typography variant="caption" color="textSecondary" sx={{ width: 84 }}>
            {target?.encoding === "swatch" ? "back to unpainted" : "back to the ground color"}
          </Typography>
        </Box>
      ) : tool === "pour" || tool === "span" ? (
        <ToggleButtonGroup
          orientation="vertical"
          exclusive
          size="small"
          value={afresh}
          onChange={(_, value: boolean | null) => {
            if (value !== null) set({ afresh: value });
          }}
          aria-label="Anew, or with what is there"
          disabled={action === "erase"}>
          <ToggleButton value={true} data-test="afresh" sx={{ py: 0.25, textTransform: "none", width: 96 }}>
            anew
          </ToggleButton>
          <ToggleButton value={false} data-test="add-to" sx={{ py: 0.25, textTransform: "none" }}>
            add to it
          </ToggleButton>
        </ToggleButtonGroup>
      ) : (
        <Button size="small" color="secondary" onClick={() => set({ into: "set" })}>
          Back to painting
        </Button>
      )}
    </>
  );
}
