// What can be done with a whole set: named, copied, moved, held elsewhere, taken away.
import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Divider,
  IconButton,
  Menu,
  MenuItem,
  Typography,
} from "@mui/material";
import { useEffect, useState } from "react";
import { api, messageOf, type Schemas } from "../api/client";
import { MoreIcon } from "../widgets/icons";
import { NameDialog } from "../widgets/NameDialog";
import type { Project } from "../project/project";
import { facts, set as setState, useApp, type ColorSet, type Part } from "../model/state";
import { count } from "../model/words";
import { placementWords } from "../model/placements";
import { SwatchesOf } from "./SwatchesOf";

type Placement = Schemas["Placement"];

export function SetMenu({ set, index, part, project }: { set: ColorSet; index: number; part: Part; project: Project }) {
  const parts = useApp((state) => state.parts);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [asking, setAsking] = useState<"name" | "swatches" | Placement | null>(null);
  const choose = (act: () => void) => () => {
    setAnchor(null);
    act();
  };
  const edit = (edit: Schemas["Edit"]) => choose(() => void project.edit(edit));
  const at = { part: part.id, set: set.id };
  const others = parts.filter((other) => other.id !== part.id && !other.sets.some((own) => own.name === set.name));
  const kinds: Placement[] = ["vertex", "corner", "face"];
  return (
    <>
      <IconButton
        size="small"
        aria-label={`More about ${set.name}`}
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ mr: -0.75 }}>
        <MoreIcon fontSize="small" />
      </IconButton>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem onClick={choose(() => setState({ shown: set.id }))}>Show it on the stage</MenuItem>
        <MenuItem onClick={choose(() => setAsking("name"))}>Rename…</MenuItem>
        <MenuItem onClick={edit({ type: "duplicate_set", ...at })} disabled={part.sets.length >= facts().limits.sets}>
          Duplicate
        </MenuItem>
        <MenuItem onClick={edit({ type: "move_set", ...at, to: index - 1 })} disabled={index === 0}>
          Move up
        </MenuItem>
        <MenuItem onClick={edit({ type: "move_set", ...at, to: index + 1 })} disabled={index === part.sets.length - 1}>
          Move down
        </MenuItem>
        <MenuItem
          onClick={edit({ type: "copy_set", ...at, to: others.map((other) => other.id) })}
          disabled={others.length === 0}>
          {others.length === 0
            ? "All other parts have it"
            : `Copy to ${others.length === 1 ? (others[0]?.name ?? "") : `${others.length} other parts`}`}
        </MenuItem>
        {set.encoding === "color" && (
          <MenuItem data-test="swatches-of" onClick={choose(() => setAsking("swatches"))}>
            Make swatches of it…
          </MenuItem>
        )}
        {set.encoding === "swatch" && (
          <MenuItem
            data-test="colors-of"
            onClick={edit({ type: "color_swatches", parts: [part.id], name: freeName(part, `${set.name} colors`) })}>
            Make colors of it
          </MenuItem>
        )}
        <Divider />
        {kinds
          .filter((kind) => kind !== set.placement && set.encoding !== "swatch")
          .map((kind) => (
            <MenuItem key={kind} onClick={choose(() => setAsking(kind))}>
              Hold it {placementWords[kind]}…
            </MenuItem>
          ))}
        <Divider />
        <MenuItem onClick={edit({ type: "delete_set", ...at })} sx={{ color: "error.main" }}>
          Delete
        </MenuItem>
      </Menu>
      {asking === "name" && (
        <NameDialog
          title={`Rename ${set.name}`}
          name={set.name}
          act="Rename"
          onName={(name) => project.attempt({ type: "rename_set", ...at, name })}
          onClose={() => setAsking(null)}
        />
      )}
      {asking === "swatches" && <SwatchesOf set={set} part={part} project={project} onClose={() => setAsking(null)} />}
      {asking !== null && asking !== "name" && asking !== "swatches" && (
        <Conversion set={set} part={part} to={asking} project={project} onClose={() => setAsking(null)} />
      )}
    </>
  );
}

/** A name that no set of a part has yet. */
function freeName(part: Part, wanted: string): string {
  const taken = (name: string) => part.sets.some((own) => own.name === name);
  let name = wanted;
  for (let n = 2; taken(name); n++) name = `${wanted} ${n}`;
  return name;
}

/** Says what would be lost before a set is held elsewhere. */
function Conversion({
  set,
  part,
  to,
  project,
  onClose,
}: {
  set: ColorSet;
  part: Part;
  to: Placement;
  project: Project;
  onClose: () => void;
}) {
  const [loss, setLoss] = useState<Schemas["Loss"] | string | null>(null);
  useEffect(() => {
    const asked = api.GET("/api/v1/projects/{project}/parts/{part}/sets/{set}/conversion", {
      params: { path: { project: project.id, part: part.id, set: set.id }, query: { to } },
    });
    void asked.then(({ data, error }) => setLoss(data ?? messageOf(error)));
  }, [project, part.id, set.id, to]);
  const accept = async () => {
    const done = await project.edit({ type: "convert_set", part: part.id, set: set.id, placement: to });
    if (done)
      setState({
        said: {
          text: `${set.name} is held ${placementWords[to]} now: ${typeof loss === "object" && loss ? told(loss) : ""}`,
          bad: false,
        },
      });
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>
        Hold {set.name} {placementWords[to]}?
      </DialogTitle>
      <DialogContent>
        <Typography data-test="loss">
          {loss === null ? "Looking what would be lost…" : typeof loss === "string" ? loss : told(loss)}
        </Typography>
        <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>
          {typeof loss === "object" && loss && loss.changed > 0
            ? `Where values meet they are averaged${set.encoding === "color" ? ", in linear light" : ""}. Holding it ${placementWords[set.placement]} again would not bring them back; undo does.`
            : "Every corner of every face keeps the value it has."}
        </Typography>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={typeof loss !== "object" || loss === null} onClick={() => void accept()}>
          Hold it {placementWords[to]}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function told({ corners, changed, largest }: Schemas["Loss"]): string {
  return changed === 0
    ? "nothing is lost."
    : `${count(changed)} of ${count(corners)} corners change, by up to ${Math.round(largest * 255)} of 255.`;
}
