// Where the active part stands: by numbers, and by a grip on the stage.
import { Box, Paper, Typography } from "@mui/material";
import { useEffect } from "react";
import { set, useApp, type Part } from "../../model/state";
import type { GripMode } from "../../model/choices";
import { figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { matrixOf } from "../../stage/grip";
import { GripChoice } from "../../widgets/GripChoice";
import { TransformRows } from "../../widgets/TransformRows";

/** Holds a part by a grip on the stage: it follows the hand, and stands there when the hand lets go. */
function useGrip(project: Project, part: Part | undefined, mode: GripMode | null) {
  const placed = part && JSON.stringify([project.id, part.id, part.transform, part.mesh]);
  useEffect(() => {
    if (!part || mode === null) return;
    const { stage } = project;
    stage.gripOn(part.id, mode, part.transform, (transform, isLast) => {
      stage.surfaces.get(part.id)?.stand(matrixOf(transform));
      if (isLast && JSON.stringify(transform) !== JSON.stringify(part.transform))
        void project.edit({ type: "place_part", part: part.id, transform });
    });
    return () => stage.gripOn(null);
    // Of the part only where it stands, and what its middle follows from.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [project, placed, mode]);
  // It goes with the sheet.
  useEffect(() => () => set({ grip: null }), []);
}

export function Standing({ project }: { project: Project }) {
  const part = useApp((state) => state.parts.find((each) => each.id === state.part));
  const unit = useApp((state) => symbols[state.traits.unit]);
  const grip = useApp((state) => state.grip);
  useGrip(project, part?.locked ? undefined : part, grip);
  if (!part) return null;
  const size = part.max.map((value, i) => (value - (part.min[i] ?? 0)) * Math.abs(part.transform.scale?.[i] ?? 1));
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label="Where it stands"
      sx={{ p: 1.75, borderRadius: 4 }}
      onKeyDown={(event) => {
        if (!(event.ctrlKey || event.metaKey)) event.stopPropagation();
      }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 1 }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          {part.name} stands
        </Typography>
        <GripChoice disabled={part.locked} />
      </Box>
      <TransformRows
        transform={part.transform}
        unit={unit}
        disabled={part.locked}
        onTransform={(transform) => void project.edit({ type: "place_part", part: part.id, transform })}
      />
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1 }}>
        Size {size.map(figure).join(" × ")} {unit}, along its own axes
      </Typography>
    </Paper>
  );
}
