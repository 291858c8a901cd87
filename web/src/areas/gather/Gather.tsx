// The Gather area: the parts and their numbers, bringing meshes in, and what an import did.
import {
  Box,
  Button,
  Chip,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  IconButton,
  Menu,
  MenuItem,
  Paper,
  TextField,
  Typography,
} from "@mui/material";
import { Families } from "../../widgets/Families";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { EyeIcon, EyeShutIcon, LockIcon, MoreIcon, OpenLockIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import type { Project } from "../../project/project";
import { ReplaceDialog } from "./ReplaceDialog";
import { Reports } from "./Reports";
import { DensitySheet } from "./DensitySheet";
import { FormSheet } from "./FormSheet";
import { ImagesSheet } from "./ImagesSheet";
import { MendSheet } from "./MendSheet";
import { ShapeTray } from "./ShapeTray";
import { Standing } from "./Standing";
import { TransferSheet } from "./TransferSheet";
import { TransferTray } from "./TransferTray";
import { unitWord, units } from "../../model/units";
import { choosePart, set, useApp, type Part, type Unit } from "../../model/state";
import type { GatherTool } from "../../model/choices";
import { count, length } from "../../model/words";
import { useFormatWords } from "../../model/formats";

export function GatherSheet({ project }: { project: Project }) {
  const parts = useApp((state) => state.parts);
  const active = useApp((state) => state.part);
  const reports = useApp((state) => state.reports);
  const tool = useApp((state) => state.gatherTool);
  const hidden = parts.filter((part) => !part.visible).map((part) => part.id);
  return (
    <>
      {tool === "density" && <DensitySheet project={project} />}
      {tool === "transfer" && <TransferSheet project={project} />}
      {tool === "mend" && <MendSheet project={project} />}
      {tool === "form" && <FormSheet project={project} />}
      {tool === "images" && <ImagesSheet project={project} />}
      {reports.length > 0 && <Reports project={project} />}
      <Paper variant="outlined" component="section" aria-label="Parts" sx={{ p: 1.75, borderRadius: 4 }}>
        <Box sx={{ display: "flex", alignItems: "center", mb: 0.5 }}>
          <Typography variant="h2" sx={{ flex: 1 }}>
            Parts
          </Typography>
          {hidden.length > 0 && (
            <Button
              size="small"
              color="secondary"
              onClick={() => void project.edit({ type: "show_parts", parts: hidden, visible: true })}>
              Show all
            </Button>
          )}
        </Box>
        {parts.map((part, index) => (
          <PartRow key={part.id} part={part} index={index} active={part.id === active} project={project} />
        ))}
        {parts.length === 0 && (
          <Typography variant="body2" color="textSecondary">
            None yet. Bring a mesh in, or drop one on the stage.
          </Typography>
        )}
      </Paper>
      {parts.some((part) => part.id === active) && <Standing key={active} project={project} />}
      <ProjectTraits project={project} />
    </>
  );
}

function PartRow({ part, index, active, project }: { part: Part; index: number; active: boolean; project: Project }) {
  const total = useApp((state) => state.parts.length);
  const all = useApp((state) => state.parts);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [asking, setAsking] = useState<"name" | "delete" | null>(null);
  const [replacing, setReplacing] = useState<"colors" | "shape" | null>(null);
  const choose = (act: () => void) => () => {
    setAnchor(null);
    act();
  };
  const edit = (edit: Schemas["Edit"]) => choose(() => void project.edit(edit));
  return (
    <Box
      data-test="part"
      sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 0.5, opacity: part.visible ? 1 : 0.6 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.25 }}>
        <IconButton
          size="small"
          aria-label={part.visible ? `Hide ${part.name}` : `Show ${part.name}`}
          aria-pressed={part.visible}
          data-test="eye"
          onClick={() => void project.edit({ type: "show_parts", parts: [part.id], visible: !part.visible })}
          sx={{ width: 32, height: 32 }}>
          {part.visible ? <EyeIcon fontSize="small" /> : <EyeShutIcon fontSize="small" />}
        </IconButton>
        <IconButton
          size="small"
          aria-label={part.locked ? `Unlock ${part.name}` : `Lock ${part.name}`}
          aria-pressed={part.locked}
          data-test="lock"
          onClick={() => void project.edit({ type: "lock_parts", parts: [part.id], locked: !part.locked })}
          sx={{ width: 32, height: 32, color: part.locked ? "primary.main" : undefined }}>
          {part.locked ? <LockIcon fontSize="small" /> : <OpenLockIcon fontSize="small" />}
        </IconButton>
        <Button
          size="small"
          color={active ? "primary" : "inherit"}
          onClick={() => choosePart(part.id)}
          aria-pressed={active}
          sx={{
            px: 0.75,
            fontWeight: 700,
            flex: 1,
            minWidth: 0,
            justifyContent: "flex-start",
            whiteSpace: "nowrap",
            overflow: "hidden",
          }}>
          {part.name}
        </Button>
        <Typography variant="caption" color="textSecondary" sx={{ whiteSpace: "nowrap" }}>
          {count(part.vertices)} v · {count(part.faces)} f
        </Typography>
        <IconButton
          size="small"
          aria-label={`More for ${part.name}`}
          data-test="part-more"
          onClick={(event) => setAnchor(event.currentTarget)}
          sx={{ width: 30, height: 32 }}>
          <MoreIcon fontSize="small" />
        </IconButton>
      </Box>
      {part.path.length > 0 && (
        <Typography
          variant="caption"
          color="textSecondary"
          component="p"
          noWrap
          sx={{ pl: 8.5 }}
          title="The groups it stands in; glTF takes them along">
          {part.path.join(" › ")}
        </Typography>
      )}
      <Box sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", pl: 8.5 }}>
        {part.sets.map((each) => (
          <Chip key={each.id} size="small" variant="outlined" label={each.name} sx={{ height: 20 }} />
        ))}
        {part.sets.length === 0 && (
          <Typography variant="caption" sx={{ color: "warning.main", fontWeight: 700 }}>
            no set: nothing to paint into
          </Typography>
        )}
      </Box>
      {active && (
        <Box sx={{ pl: 8.5, pt: 0.5 }}>
          {(
            [
              ["Triangles", count(part.triangles)],
              ["Edge, median", length(part.median_edge)],
              ["Pieces", `${count(part.pieces)}, ${part.watertight ? "watertight" : "open"}`],
            ] as const
          ).map(([name, value]) => (
            <Box key={name} sx={{ display: "flex", gap: 1 }}>
              <Typography variant="caption" color="textSecondary" sx={{ width: 84, flexShrink: 0 }}>
                {name}
              </Typography>
              <Typography variant="caption">{value}</Typography>
            </Box>
          ))}
          {part.selections.length > 0 && (
            <Box sx={{ mt: 0.5 }}>
              <Typography variant="caption" color="textSecondary">
                Named selections: press to see them
              </Typography>
              {part.selections.map((selection, i) => (
                <Button
                  key={i}
                  size="small"
                  color="inherit"
                  data-test="selection"
                  onClick={() => project.showSelection(part.id, i)}
                  sx={{ display: "flex", py: 0, minHeight: 26, fontWeight: 400 }}>
                  {selection.name} · {count(selection.faces)} faces
                </Button>
              ))}
            </Box>
          )}
        </Box>
      )}
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem onClick={choose(() => setAsking("name"))}>Rename…</MenuItem>
        <MenuItem onClick={choose(() => project.stage.eye.frame([part.id]))}>Frame it</MenuItem>
        <MenuItem
          onClick={edit({
            type: "show_parts",
            parts: all.filter((other) => other.id !== part.id && other.visible).map((other) => other.id),
            visible: false,
          })}
          disabled={total < 2}>
          Hide the others
        </MenuItem>
        <MenuItem onClick={edit({ type: "duplicate_part", part: part.id })}>Duplicate</MenuItem>
        <MenuItem onClick={choose(() => setReplacing("colors"))} disabled={part.locked}>
          Replace its colors by a file's…
        </MenuItem>
        <MenuItem onClick={choose(() => setReplacing("shape"))} disabled={part.locked}>
          Replace its shape by a file's…
        </MenuItem>
        <MenuItem onClick={edit({ type: "move_part", part: part.id, to: index - 1 })} disabled={index === 0}>
          Move up
        </MenuItem>
        <MenuItem onClick={edit({ type: "move_part", part: part.id, to: index + 1 })} disabled={index === total - 1}>
          Move down
        </MenuItem>
        <MenuItem onClick={choose(() => setAsking("delete"))} disabled={part.locked} sx={{ color: "error.main" }}>
          Delete…
        </MenuItem>
      </Menu>
      {replacing && <ReplaceDialog part={part} what={replacing} project={project} onClose={() => setReplacing(null)} />}
      {asking === "name" && (
        <NameDialog
          title="Rename the part"
          name={part.name}
          act="Rename"
          onName={(name) => project.attempt({ type: "rename_part", part: part.id, name })}
          onClose={() => setAsking(null)}
        />
      )}
      <Dialog open={asking === "delete"} onClose={() => setAsking(null)} maxWidth="xs">
        <DialogTitle>Delete {part.name}?</DialogTitle>
        <DialogContent>
          <Typography variant="body2">It goes with its sets. Undo brings it back.</Typography>
        </DialogContent>
        <DialogActions>
          <Button color="inherit" onClick={() => setAsking(null)}>
            Keep it
          </Button>
          <Button
            color="error"
            variant="contained"
            data-test="delete-part"
            onClick={() => {
              setAsking(null);
              void project.edit({ type: "delete_parts", parts: [part.id] });
            }}>
            Delete
          </Button>
        </DialogActions>
      </Dialog>
    </Box>
  );
}

/** Where the active part stands: nine numbers. */
function ProjectTraits({ project }: { project: Project }) {
  const traits = useApp((state) => state.traits);
  const put = (change: Partial<Schemas["ProjectTraits"]>) =>
    void project.edit({ type: "set_project", traits: { ...traits, ...change } });
  return (
    <Paper variant="outlined" component="section" aria-label="Project" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2" sx={{ mb: 1.25 }}>
        Project
      </Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
        <TextField
          select
          size="small"
          label="One step is a"
          value={traits.unit}
          onChange={(event) => put({ unit: event.target.value as Unit })}>
          {units.map((unit) => (
            <MenuItem key={unit} value={unit}>
              {unitWord(unit)}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          size="small"
          label="Up is"
          value={traits.up}
          onChange={(event) => put({ up: event.target.value as "y" | "z" })}>
          <MenuItem value="y">+Y</MenuItem>
          <MenuItem value="z">+Z</MenuItem>
        </TextField>
      </Box>
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 1 }}>
        This says how the numbers are read; the numbers stay. Files brought in are converted to it.
      </Typography>
    </Paper>
  );
}

const families: { key: GatherTool; title: string }[] = [
  { key: "bring", title: "Bring" },
  { key: "density", title: "Density" },
  { key: "transfer", title: "Transfer" },
  { key: "mend", title: "Mend" },
  { key: "form", title: "Form" },
  { key: "images", title: "Images" },
];
const says = {
  density: "Gives the active part fewer or finer faces; what lies on it comes along.",
  mend: "Looks the active part over, and mends what is wrong with its mesh.",
  form: "Moves, smooths or trims the active part, or lays a sheet over it; what lies on it comes along.",
  images: "Lays the active part out for images, and makes images of its colors.",
};

export function GatherTray({ onBring }: { onBring: () => void }) {
  const formats = useFormatWords();
  const tool = useApp((state) => state.gatherTool);
  return (
    <Box sx={{ display: "flex", flexDirection: "column", gap: 1, alignSelf: "flex-start", width: "100%" }}>
      <Families
        label="Tools"
        mark="gather"
        families={families}
        value={tool}
        onChange={(key) => set({ gatherTool: key })}
      />
      {tool === "bring" ? (
        <Box sx={{ display: "flex", alignItems: "center", gap: 2 }}>
          <Button variant="contained" onClick={onBring} sx={{ flexShrink: 0 }}>
            Bring in meshes…
          </Button>
          <Typography variant="body2" color="textSecondary">
            {formats}, several at once, with the files they need beside them, in a zip or a folder. They can be dropped
            anywhere on this page as well. Click the model to choose a part.
          </Typography>
        </Box>
      ) : tool === "transfer" ? (
        <TransferTray />
      ) : (
        <ShapeTray says={says[tool]} />
      )}
    </Box>
  );
}
