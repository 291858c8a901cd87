// The sheet of the Paint area: six pages over one another, and what the tools write into.
import { ButtonBase, Box, Paper, Typography } from "@mui/material";
import type { Project } from "../../project/project";
import { set, useApp } from "../../model/state";
import type { SheetPage } from "../../model/choices";
import { AdjustSheet } from "./AdjustSheet";
import { PaletteSheet } from "./PaletteSheet";
import { IntoChoice, SelectSheet } from "./SelectSheet";
import { ToolSheet } from "./ToolSheet";
import { ViewsSheet } from "./ViewsSheet";
import { VolumesSheet } from "./VolumesSheet";

const pages: { key: SheetPage; title: string }[] = [
  { key: "tool", title: "Tool" },
  { key: "select", title: "Select" },
  { key: "adjust", title: "Adjust" },
  { key: "palette", title: "Palette" },
  { key: "volumes", title: "Volumes" },
  { key: "views", title: "Views" },
];

export function PaintSheet({ project }: { project: Project | null }) {
  const page = useApp((state) => state.sheet);
  return (
    <Paper variant="outlined" component="section" sx={{ p: 1.75, pt: 1, borderRadius: 4 }}>
      <Box
        role="tablist"
        aria-label="Pages of the sheet"
        sx={{ display: "flex", justifyContent: "space-between", mb: 1, borderBottom: 1, borderColor: "divider" }}>
        {pages.map(({ key, title }) => (
          <ButtonBase
            key={key}
            role="tab"
            aria-selected={page === key}
            data-test={`page-${key}`}
            onClick={() => set({ sheet: key })}
            sx={{
              py: 0.75,
              px: 0.5,
              borderBottom: 3,
              borderBottomStyle: "dotted",
              borderColor: page === key ? "primary.main" : "transparent",
              "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
            }}>
            <Typography
              variant="body2"
              sx={{ fontWeight: page === key ? 700 : 400, color: page === key ? "text.primary" : "text.secondary" }}>
              {title}
            </Typography>
          </ButtonBase>
        ))}
      </Box>
      {(page === "tool" || page === "select") && <IntoChoice project={project} />}
      {page === "tool" && <ToolSheet project={project} />}
      {page === "select" && project && <SelectSheet project={project} />}
      {page === "adjust" && project && <AdjustSheet project={project} />}
      {page === "palette" && project && <PaletteSheet project={project} />}
      {page === "volumes" && project && <VolumesSheet project={project} />}
      {page === "views" && project && <ViewsSheet project={project} />}
    </Paper>
  );
}
