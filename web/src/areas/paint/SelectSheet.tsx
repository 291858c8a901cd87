// Selections and the mask: what the tools write into, and what can be done with what is chosen.
import {
  Box,
  Button,
  ButtonBase,
  IconButton,
  Menu,
  MenuItem,
  Slider,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { placementWords } from "../../model/placements";
import { MoreIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import type { Project } from "../../project/project";
import {
  activePart,
  chosenSelection,
  get,
  intoSet,
  maskOf,
  selectionsOf,
  set,
  setLook,
  useApp,
  type ColorSet,
  type Part,
  type State,
  snapshotNames,
  snapshotOf,
} from "../../model/state";
import { symbols } from "../../model/words";
import { boxOf } from "../../project/tools";
import { Choose, Sliding } from "../../widgets/rows";

/** What the tools write into: always seen, so that paint never lands elsewhere than one thinks. */
export function IntoChoice({ project }: { project: Project | null }) {
  const into = useApp((state) => state.into);
  const part = useApp(activePart);
  const choose = async (next: State["into"] | null) => {
    if (!next || !part || !project) return;
    // Choosing one that is not there yet is the word to make it.
    const missing = next === "mask" ? !maskOf(part) : next === "selection" ? selectionsOf(part).length === 0 : false;
    if (missing && !(await project.edit(next === "mask" ? addMask(part) : addSelection(part, "vertex")))) return;
    set({ into: next });
    if (next === "mask") setLook({ mask: true });
    if (next === "selection") setLook({ selection: true });
  };
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 1.25 }}>
      <Typography variant="body2" color="textSecondary" sx={{ whiteSpace: "nowrap" }}>
        Tools write into
      </Typography>
      <ToggleButtonGroup
        exclusive
        size="small"
        value={into}
        onChange={(_, next: State["into"] | null) => void choose(next)}
        aria-label="What the tools write into"
        disabled={!part}
        sx={{ flex: 1, "& button": { flex: 1, py: 0.25, textTransform: "none" } }}>
        <ToggleButton value="set" data-test="into-set">
          color
        </ToggleButton>
        <ToggleButton value="selection" data-test="into-selection">
          selection
        </ToggleButton>
        <ToggleButton value="mask" data-test="into-mask">
          mask
        </ToggleButton>
      </ToggleButtonGroup>
    </Box>
  );
}

const addMask = (part: Part): Schemas["Edit"] => ({
  type: "add_helper",
  part: part.id,
  role: "mask",
  name: "Mask",
  placement: "vertex",
});
const addSelection = (part: Part, placement: Schemas["Placement"]): Schemas["Edit"] => ({
  type: "add_helper",
  part: part.id,
  role: "selection",
  name: `Selection ${selectionsOf(part).length + 1}`,
  placement,
});

export function SelectSheet({ project }: { project: Project }) {
  const part = useApp(activePart);
  const chosen = useApp(chosenSelection);
  const mask = maskOf(part);
  if (!part) return null;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Selections
        </Typography>
        <Button size="small" color="secondary" onClick={() => void project.edit(addSelection(part, "vertex"))}>
          + of vertices
        </Button>
        <Button
          size="small"
          color="secondary"
          data-test="add-face-selection"
          onClick={() => void project.edit(addSelection(part, "face"))}>
          + of faces
        </Button>
      </Box>
      {selectionsOf(part).length === 0 && (
        <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
          None yet. Add one, and every tool of the tray can choose instead of paint.
        </Typography>
      )}
      {selectionsOf(part).map((selection) => (
        <SelectionRow
          key={selection.id}
          selection={selection}
          on={chosen?.id === selection.id}
          part={part}
          project={project}
        />
      ))}
      {chosen && <Reshape into="selection" helper={chosen} part={part} project={project} />}
      <ByNumbers part={part} project={project} />
      <Box sx={{ display: "flex", alignItems: "center", mt: 1.5 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Mask
        </Typography>
        {mask ? (
          <Button
            size="small"
            color="inherit"
            onClick={() => void project.edit({ type: "delete_set", part: part.id, set: mask.id })}>
            Delete
          </Button>
        ) : (
          <Button size="small" color="secondary" onClick={() => void project.edit(addMask(part))}>
            + Add a mask
          </Button>
        )}
      </Box>
      <Typography variant="body2" color="textSecondary">
        {mask
          ? "What it covers is protected from every tool, as much as it is covered."
          : "A mask protects what it covers from every tool."}
      </Typography>
      {mask && <Reshape into="mask" helper={mask} part={part} project={project} />}
    </>
  );
}

function SelectionRow({
  selection,
  on,
  part,
  project,
}: {
  selection: ColorSet;
  on: boolean;
  part: Part;
  project: Project;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState(false);
  const share = useApp((state) => state.figures[selection.id]?.[0]?.mean ?? 0);
  const at = { part: part.id, set: selection.id };
  const act = (edit: Schemas["Edit"]) => () => {
    setAnchor(null);
    void project.edit(edit);
  };
  return (
    <Box sx={{ display: "flex", alignItems: "center", borderTop: 1, borderColor: "divider", borderTopStyle: "dashed" }}>
      <ButtonBase
        aria-pressed={on}
        data-test="selection-row"
        onClick={() => set({ selection: selection.id })}
        sx={{ flex: 1, minWidth: 0, justifyContent: "flex-start", gap: 1, py: 0.75, textAlign: "left" }}>
        <Box
          sx={{
            width: 12,
            height: 12,
            borderRadius: "50%",
            border: 2,
            borderColor: on ? "primary.main" : "divider",
            bgcolor: on ? "primary.main" : "transparent",
            flexShrink: 0,
          }}
        />
        <Typography variant="body2" noWrap sx={{ fontWeight: on ? 700 : 400 }}>
          {selection.name}
        </Typography>
        <Typography variant="caption" color="textSecondary" noWrap>
          {placementWords[selection.placement]} · {(share * 100).toFixed(share < 0.01 && share > 0 ? 2 : 0)} %
        </Typography>
      </ButtonBase>
      <IconButton
        size="small"
        aria-label={`More for ${selection.name}`}
        onClick={(event) => setAnchor(event.currentTarget)}>
        <MoreIcon fontSize="small" />
      </IconButton>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            setNaming(true);
          }}>
          Rename…
        </MenuItem>
        <MenuItem onClick={act({ type: "duplicate_set", ...at })}>Duplicate</MenuItem>
        <MenuItem
          onClick={act({ type: "convert_set", ...at, placement: selection.placement === "face" ? "vertex" : "face" })}>
          Hold it {selection.placement === "face" ? "per vertex" : "per face"}
        </MenuItem>
        <MenuItem onClick={act({ type: "delete_set", ...at })} sx={{ color: "error.main" }}>
          Delete
        </MenuItem>
      </Menu>
      {naming && (
        <NameDialog
          title={`Rename ${selection.name}`}
          name={selection.name}
          act="Rename"
          onName={(name) => project.attempt({ type: "rename_set", ...at, name })}
          onClose={() => setNaming(false)}
        />
      )}
    </Box>
  );
}

/** What can be done with a whole selection or mask. */
function Reshape({
  into,
  helper,
  part,
  project,
}: {
  into: "selection" | "mask";
  helper: ColorSet;
  part: Part;
  project: Project;
}) {
  const selection = useApp(chosenSelection);
  const target = useApp(intoSet);
  const own: Schemas["Channels"] = [true, false, false, false];
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const diagonal = Math.max(Math.hypot(...boxOf(part).size), 1e-9);
  // 0 for from one element to the next.
  const [length, setLength] = useState(0);
  const adjust = (how: Schemas["How"]) =>
    void project.edit({
      type: "adjust",
      adjustment: { part: part.id, set: helper.id, channels: own, how, strength: 1, within: null },
    });
  const clear = () => void project.edit({ type: "clear_channels", part: part.id, set: helper.id, channels: own });
  const act = (title: string, run: () => void, mark?: string) => (
    <Button
      key={title}
      size="small"
      variant="outlined"
      color="inherit"
      data-test={mark}
      onClick={run}
      sx={{ minWidth: 0, px: 1, py: 0, borderColor: "divider", fontWeight: 400 }}>
      {title}
    </Button>
  );
  const state = get();
  const paintIt = () => {
    const before = get().into;
    set({ into: "set" });
    void project.fillRegion({ type: "chosen", set: helper.id }).finally(() => set({ into: before }));
  };
  const maskIt = () => {
    const mask = maskOf(part);
    if (!mask || !selection) return;
    const coat: Schemas["Coat"] = { part: part.id, set: mask.id, channels: own, paint: [1, 0, 0, 0] };
    void project.edit({
      type: "fill",
      fill: { ...coat, opacity: 1, region: { type: "chosen", set: selection.id }, afresh: true },
    });
  };
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.5, my: 0.75 }}>
      <Box sx={{ width: "100%" }}>
        <Sliding
          label="Grow, blur by"
          value={length}
          min={0}
          max={diagonal / 4}
          step={diagonal / 400}
          unit={symbol}
          digits={diagonal < 1 ? 4 : diagonal < 10 ? 3 : diagonal < 100 ? 2 : 1}
          zero="an element"
          onChange={setLength}
        />
      </Box>
      {act("Grow", () => adjust({ type: "grow", length, rounds: 1 }), `${into}-grow`)}
      {act("Shrink", () => adjust({ type: "shrink", length, rounds: 1 }))}
      {act("Invert", () => adjust({ type: "invert" }), `${into}-invert`)}
      {act("Blur", () => adjust({ type: "blur", length, rounds: 2 }))}
      {act("Clear", clear, `${into}-clear`)}
      {into === "selection" && state.target !== null && target && act("Paint it", paintIt, "paint-selection")}
      {into === "selection" && maskOf(part) && act("Make it the mask", maskIt)}
    </Box>
  );
}

type By = "range" | "near" | "values" | "changed" | "boundary" | "group";

/** Selections and masks by what sets hold, by groups of the file, or by where the surface ends. */
function ByNumbers({ part, project }: { part: Part; project: Project }) {
  const into = useApp((state) => state.into);
  const target = useApp((state) => state.target);
  const parts = useApp((state) => state.parts);
  const [by, setBy] = useState<By>("range");
  const [measure, setMeasure] = useState<Schemas["Measure"]>("luminance");
  const [range, setRange] = useState<[number, number]>([0.5, 1]);
  const [tolerance, setTolerance] = useState(10);
  const [group, setGroup] = useState("0");
  const names = snapshotNames(parts);
  const [snapshot, setSnapshot] = useState("");
  const since = snapshotOf(part, target, names.includes(snapshot) ? snapshot : (names.at(-1) ?? ""));
  const region = (): Schemas["Region"] | null => {
    if (by === "boundary") return { type: "boundary" };
    if (by === "group") return { type: "group", index: Number(group) };
    if (by === "changed") return since ? { type: "changed", snapshot: since.id, tolerance } : null;
    if (target === null) return null;
    if (by === "values") return { type: "values", set: target, measure };
    if (by === "near") return { type: "near", set: target, color: get().paint, tolerance };
    return { type: "range", set: target, measure, from: range[0], to: range[1] };
  };
  const options: [By, string][] = [
    ["range", "a range of numbers"],
    ["near", "the paint's color"],
    ["values", "the numbers themselves"],
    ["boundary", "where the surface ends"],
  ];
  if (part.selections.length > 0) options.push(["group", "a group of the file"]);
  if (names.length > 0) options.push(["changed", "what changed since"]);
  const found = region();
  const word = { set: "Choose selection or mask above first", selection: "Select it", mask: "Mask it" }[into];
  return (
    <Box sx={{ mt: 1 }}>
      <Choose label="Find by" value={by} options={options} onChange={setBy} />
      {(by === "range" || by === "values") && (
        <Choose
          label="Read"
          value={measure}
          options={[
            ["luminance", "luminance"],
            ["r", "R"],
            ["g", "G"],
            ["b", "B"],
            ["a", "A"],
          ]}
          onChange={setMeasure}
        />
      )}
      {by === "range" && (
        <Slider
          size="small"
          value={range}
          min={0}
          max={1}
          step={0.01}
          valueLabelDisplay="auto"
          getAriaLabel={(i) => (i === 0 ? "From" : "To")}
          onChange={(_, next) => setRange(next as [number, number])}
        />
      )}
      {(by === "near" || by === "changed") && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Typography variant="body2" color="textSecondary" noWrap>
            {by === "near" ? "Up to" : "At least"} {tolerance} ΔE
          </Typography>
          <Slider
            size="small"
            value={tolerance}
            min={0}
            max={60}
            step={1}
            aria-label="Tolerance, ΔE"
            onChange={(_, next) => setTolerance(next)}
          />
        </Box>
      )}
      {by === "changed" && (
        <Choose
          label="Snapshot"
          value={since?.name ?? names.at(-1) ?? ""}
          options={names.map((name) => [name, name] as const)}
          onChange={setSnapshot}
        />
      )}
      {by === "group" && (
        <Choose
          label="Group"
          value={group}
          options={part.selections.map((each, i) => [String(i), each.name] as const)}
          onChange={setGroup}
        />
      )}
      <Tooltip title={into === "set" ? "What is found goes into a selection or the mask" : ""}>
        <span>
          <Button
            size="small"
            variant="outlined"
            color="inherit"
            fullWidth
            data-test="find"
            disabled={into === "set" || !found}
            onClick={() => {
              if (found) void project.fillRegion(found);
            }}
            sx={{ mt: 0.5 }}>
            {word}
          </Button>
        </span>
      </Tooltip>
    </Box>
  );
}
