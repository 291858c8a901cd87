// Before files come in: what their numbers mean, and what becomes of groups. Everything has a
// sensible start, so that Enter is enough.
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
  Typography,
} from "@mui/material";
import { useState } from "react";
import type { ImportChoices } from "../api/writes";
import { unitWord, units } from "../model/units";
import { useApp, type Unit } from "../model/state";
import { bytes, symbols } from "../model/words";

const MESH = /\.(ply|obj|stl|off|3mf|x3d|wrl|dae|usda?|usdc|usdz|gltf|glb|zip)$/i;
/** Files that say themselves what their numbers mean, or whose standard does. */
const SAYS = /\.(3mf|x3d|wrl|dae|usda?|usdc|usdz|gltf|glb|zip)$/i;
/** What usually becomes of groups: those of OBJ are objects by another name. */
const usualGroups = (meshes: File[]) => (meshes.every((file) => /\.obj$/i.test(file.name)) ? "parts" : "selections");

interface Props {
  files: File[];
  /** True when the project takes its unit and up axis from the file. */
  fresh: boolean;
  onBring: (meshes: File[], beside: File[], choices: ImportChoices) => void;
  onClose: () => void;
}

export function ImportDialog({ files, fresh, onBring, onClose }: Props) {
  // A file of a kind that nobody knows is sent all the same: the server says what is known.
  const known = files.filter((file) => MESH.test(file.name));
  const meshes = known.length > 0 ? known : files.slice(0, 1);
  const beside = files.filter((file) => !meshes.includes(file));
  const traits = useApp((state) => state.traits);
  // Where a file says nothing, the server guesses by size and shape, and the report tells why.
  const [unit, setUnit] = useState<Unit | "said">("said");
  const [up, setUp] = useState<"y" | "z" | "said">("said");
  const [groups, setGroups] = useState<"parts" | "selections" | "usual">("usual");
  const [weld, setWeld] = useState("0");
  const hasStl = meshes.some((file) => /\.stl$/i.test(file.name));
  const said = meshes.every((file) => SAYS.test(file.name)) ? "as the file says" : "guess, and say why";
  const converts = !fresh && (unit === "said" || up === "said" || unit !== traits.unit || up !== traits.up);
  const tolerance = Number.parseFloat(weld.replace(",", "."));
  const fits = !hasStl || (Number.isFinite(tolerance) && tolerance >= 0);
  const bring = () => {
    if (fits)
      onBring(meshes, beside, {
        unit: unit === "said" ? undefined : unit,
        up: up === "said" ? undefined : up,
        groups: groups === "usual" ? undefined : groups,
        weld: hasStl ? tolerance : undefined,
      });
  };
  return (
    <Dialog
      open
      onClose={onClose}
      maxWidth="xs"
      fullWidth
      data-test="import"
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key !== "Enter" || (event.target as HTMLElement).closest("button, [role=combobox], [role=option]"))
          return;
        event.preventDefault();
        bring();
      }}>
      <DialogTitle>Bring in {meshes.length === 1 ? meshes[0]?.name : `${meshes.length} files`}</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        {(meshes.length > 1 || beside.length > 0) && (
          <Typography variant="body2" color="textSecondary">
            {meshes.map((file) => `${file.name} (${bytes(file.size)})`).join(", ")}
            {beside.length > 0 && (
              <>
                ; beside {meshes.length > 1 ? "them" : "it"} {beside.map((file) => file.name).join(", ")}
              </>
            )}
          </Typography>
        )}
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.5 }}>
          <TextField
            select
            size="small"
            label="One step of its numbers is a"
            value={unit}
            onChange={(event) => setUnit(event.target.value as Unit | "said")}>
            <MenuItem value="said">{said}</MenuItem>
            {units.map((each) => (
              <MenuItem key={each} value={each}>
                {unitWord(each)}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            size="small"
            label="Up is"
            value={up}
            onChange={(event) => setUp(event.target.value as "y" | "z" | "said")}>
            <MenuItem value="said">{said}</MenuItem>
            <MenuItem value="y">+Y</MenuItem>
            <MenuItem value="z">+Z</MenuItem>
          </TextField>
        </Box>
        <TextField
          select
          size="small"
          label="Groups inside one mesh"
          value={groups}
          onChange={(event) => setGroups(event.target.value as typeof groups)}>
          <MenuItem value="usual">
            {usualGroups(meshes) === "selections" ? "stay together, as named selections" : "become parts"} (as usual)
          </MenuItem>
          <MenuItem value={usualGroups(meshes) === "selections" ? "parts" : "selections"}>
            {usualGroups(meshes) === "selections" ? "become parts" : "stay together, as named selections"}
          </MenuItem>
        </TextField>
        {hasStl && (
          <TextField
            size="small"
            label={`Join corners closer than, in ${symbols[unit === "said" ? "millimetre" : unit]}`}
            value={weld}
            error={!fits}
            onChange={(event) => setWeld(event.target.value)}
            helperText={
              fits ? "STL stores every triangle alone. 0 joins what lies at exactly one place." : "A number, 0 or more."
            }
          />
        )}
        {converts && (
          <Alert severity="info" sx={{ py: 0 }}>
            Its numbers are converted to the project's {symbols[traits.unit]} with +{traits.up.toUpperCase()} up.
          </Alert>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" onClick={bring} disabled={!fits} data-test="bring" autoFocus>
          Bring in
        </Button>
      </DialogActions>
    </Dialog>
  );
}
