// The sheet of the tool in hand: its finer choices, and the stencil.
import { Button, MenuItem, TextField, Typography } from "@mui/material";
import type { Schemas } from "../../api/client";
import type { Project } from "../../project/project";
import { activePart, isSwatches, set, useApp } from "../../model/state";
import type { PourKind, SpanKind } from "../../model/choices";
import { blends, toolTitle } from "../../model/toolWords";
import { Choose, Row } from "../../widgets/rows";
import { PourChoices, SpanChoices } from "./RegionChoices";
import { StencilChoices } from "./Stencil";
import { MirrorChoice, RoundChoices, StrokeChoices } from "./StrokeChoices";

const says: Record<"skin" | "deep" | "facet" | "corner" | PourKind | SpanKind | "soften" | "smear", string> = {
  skin: "Covers the visible, connected surface inside the circle. What lies behind or beside it stays.",
  deep: "Covers everything within the radius, seen or hidden: both sides of thin walls, and pieces that stand close.",
  facet: "Covers every face the pointer crosses, whole, however fast it goes.",
  corner: "Covers the one corner nearest to the pointer, on each face it crosses: for borders between faces.",
  all: "Covers the whole part.",
  crease: "Covers the surface around the pointer up to edges that bend by more than the angle.",
  patch: "Covers the connected region that has the same value now, in the chosen channels.",
  piece: "Covers the connected piece under the pointer.",
  chosen: "Covers what is selected, as much as it is. A click anywhere on the part does it.",
  band: "Covers all between two heights, insides and undersides too. Drag on the model, or type the numbers.",
  gradient:
    "Covers the whole part, full at the first point and thinning out towards the second. Drag from one to the other.",
  solid: "Covers what is inside a shape. Drag from its middle outwards, or click to put it there.",
  lasso: "Covers what is seen inside an outline. Draw it anywhere on the stage.",
  soften: "Brings each place nearer to the mean of those around it.",
  smear: "Carries what is there along with the pointer.",
};

export function ToolSheet({ project }: { project: Project | null }) {
  const tool = useApp((state) => state.tool);
  const title = useApp(toolTitle);
  const into = useApp((state) => state.into);
  const what = useApp((state) =>
    state.tool === "stroke"
      ? state.brush.reach
      : state.tool === "pour"
        ? state.pour.kind
        : state.tool === "span"
          ? state.span.kind
          : state.tidy,
  );
  const isWhole = useApp(isSwatches);
  const several = useApp((state) => state.parts.length > 1);
  const allParts = useApp((state) => state.allParts);
  const part = useApp(activePart);
  return (
    <>
      <Typography variant="h2">{title}</Typography>
      <Typography variant="body2" color="textSecondary" sx={{ mt: 0.5, mb: 1 }}>
        {says[what]}
      </Typography>
      {tool !== "tidy" && into === "set" && !isWhole && <BlendChoice />}
      {tool === "stroke" && <StrokeChoices />}
      {tool === "tidy" && <RoundChoices />}
      {tool === "pour" && <PourChoices />}
      {tool === "span" && <SpanChoices project={project} />}
      {(tool === "stroke" || tool === "tidy") && <MirrorChoice />}
      {several && (
        <Choose
          label="Works on"
          value={allParts ? "all" : "one"}
          options={[
            ["one", "this part"],
            ["all", "all visible parts"],
          ]}
          onChange={(key) => set({ allParts: key === "all" })}
        />
      )}
      {into === "set" && project && <StencilChoices project={project} />}
      {part && project && into === "set" && (
        <Row label="Start over">
          <Button
            size="small"
            color="secondary"
            data-test="clear-part"
            onClick={() => void project.edit({ type: "clear_part", part: part.id })}>
            Clear this part&rsquo;s paint
          </Button>
        </Row>
      )}
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1, lineHeight: 1.6 }}>
        {tool === "pour"
          ? "Click to pour, drag to turn."
          : tool === "span"
            ? "Enter lays it on, Esc lets go."
            : "Drag on the model, or beside it to turn."}{" "}
        <b>?</b> shows all keys.
      </Typography>
    </>
  );
}

/** How paint meets what is there; erasing has no need of it. */
function BlendChoice() {
  const blend = useApp((state) => state.blend);
  const action = useApp((state) => state.action);
  if (action === "erase") return null;
  return (
    <TextField
      select
      size="small"
      fullWidth
      label="Blend"
      value={blend}
      onChange={(event) => set({ blend: event.target.value as Schemas["Blend"] })}
      sx={{ mb: 1 }}
      helperText={blend === "normal" ? undefined : blends.find((each) => each.key === blend)?.says}
      slotProps={{ select: { MenuProps: { slotProps: { paper: { sx: { maxHeight: 420 } } } } } }}>
      {blends.map(({ key, title }) => (
        <MenuItem key={key} value={key} dense>
          {title}
        </MenuItem>
      ))}
    </TextField>
  );
}
