// Images and how they lie on the active part: what its texture coordinates are good for, new ones, and colors made
// into images.
import { Alert, Box, Button, TextField, Typography } from "@mui/material";
import { useEffect, useRef, useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { addImage, imageOfColors, uvsOf } from "../../api/writes";
import { set, useApp, type Part } from "../../model/state";
import { count, figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Row, Sliding, Switching } from "../../widgets/rows";
import { IslandPlan } from "./IslandPlan";
import { ShapeSheet, ShapeTool } from "./ShapeTool";

const tools = [
  ["layout", "lay it out"],
  ["image", "make its colors an image"],
] as const;
type Tool = (typeof tools)[number][0];
const sides = [256, 512, 1024, 2048, 4096, 8192].map(
  (side) => [String(side), `${count(side)} × ${count(side)}`] as const,
);

export function ImagesSheet({ project }: { project: Project }) {
  const [tool, setTool] = useState<Tool>("layout");
  const choose = <Choose label="To" value={tool} options={tools} onChange={setTool} />;
  return (
    <ShapeSheet label="Images" mark="images">
      {(part) =>
        tool === "layout" ? (
          <Layout key={part.id} project={project} part={part} choose={choose} />
        ) : (
          <ToImage key={part.id} project={project} part={part} choose={choose} />
        )
      }
    </ShapeSheet>
  );
}

interface Props {
  project: Project;
  part: Part;
  choose: ReactNode;
}

function Layout({ project, part, choose }: Props) {
  // What lies by coordinates that are there would lie otherwise by others: they stay, unless it is asked for.
  const [rules, setRules] = useState({ angle_degrees: 50, margin: 8, side: 2048, replace: part.uv_sets === 0 });
  const [asked, setAsked] = useState(false);
  const [outlines, setOutlines] = useState<Schemas["ReformAnswer"]["outlines"] | null>(null);
  const turn = (change: Partial<typeof rules>) => {
    setRules((before) => ({ ...before, ...change }));
    setAsked(true);
  };
  return (
    <ShapeTool
      project={project}
      part={part}
      title={`Images for ${part.name}`}
      verb="Lay out"
      done={() => "is laid out for images"}
      reform={asked ? { kind: "layout", rules } : null}
      staysBeside={false}
      onSeen={(answer) => setOutlines(answer?.outlines ?? null)}>
      {choose}
      {outlines ? (
        <IslandPlan outlines={outlines} label="The new layout" />
      ) : (
        <Uvs project={project} part={part} side={rules.side} />
      )}
      <Sliding
        label="Angle up to"
        value={rules.angle_degrees}
        min={10}
        max={75}
        step={1}
        unit="°"
        onChange={(angle_degrees) => turn({ angle_degrees })}
      />
      <Choose
        label="Pixels"
        value={String(rules.side)}
        options={sides}
        onChange={(side) => turn({ side: Number(side), margin: Math.min(rules.margin, Number(side) / 8) })}
      />
      <Sliding
        label="Charts apart"
        value={rules.margin}
        min={0}
        max={32}
        step={1}
        unit="px"
        onChange={(margin) => turn({ margin: Math.round(margin) })}
      />
      {part.uv_sets > 0 && (
        <>
          <Switching label="In place of what is there" on={rules.replace} onChange={(replace) => turn({ replace })} />
          {rules.replace && (
            <Typography variant="body2" sx={{ color: "warning.main", fontWeight: 700 }}>
              Images and patterns that lie by the old coordinates, in recipes too, will lie otherwise.
            </Typography>
          )}
        </>
      )}
      {!asked && (
        <Button size="small" variant="outlined" color="inherit" data-test="look-layout" onClick={() => setAsked(true)}>
          {part.uv_sets > 0 ? "Look at a new layout" : "Look at a layout"}
        </Button>
      )}
    </ShapeTool>
  );
}

/** What the coordinates that are there are good for. */
function Uvs({ project, part, side }: { project: Project; part: Part; side: number }) {
  const unit = useApp((state) => symbols[state.traits.unit]);
  const [seen, setSeen] = useState<{ of: string; all: Schemas["PartUvs"][] } | null>(null);
  const [nth, setNth] = useState(0);
  const of = `${part.id} ${part.mesh} ${part.uv_sets}`;
  useEffect(() => {
    let isWanted = true;
    void uvsOf(project.id, part.id).then(({ data, trouble }) => {
      if (!isWanted) return;
      if (trouble !== null) set({ said: { text: trouble, bad: true } });
      else setSeen({ of, all: data });
    });
    return () => {
      isWanted = false;
    };
  }, [project.id, part.id, of]);
  if (part.uv_sets === 0)
    return (
      <Typography variant="body2" color="textSecondary" sx={{ py: 0.5 }} data-test="uvs-told">
        {part.name} has no texture coordinates yet: no image can lie on it by them.
      </Typography>
    );
  const all = seen?.of === of ? seen.all : [];
  const told = all[nth] ?? all[0];
  if (!told) return <Box sx={{ height: 290 }} />;
  const [mean = 0, low = 0, high = 0] = told.density.map((maps) => maps * side);
  return (
    <Box data-test="uvs-told">
      {all.length > 1 && (
        <Choose
          label="Coordinates"
          value={String(nth)}
          options={all.map(({ name }, i) => [String(i), name] as const)}
          onChange={(i) => setNth(Number(i))}
        />
      )}
      <IslandPlan outlines={told.outlines} label={`The layout ${told.name}`} />
      <Typography variant="body2">
        <b>{figure(mean)}</b> pixels lie along a {unit} at {count(side)} × {count(side)}
        {high > 1.1 * low ? `, ${figure(low)} to ${figure(high)} on nine tenths of it` : ""}.
      </Typography>
      <Typography variant="body2" color="textSecondary">
        {told.islands === 1 ? "One island covers" : `${count(told.islands)} islands cover`} {figure(100 * told.covered)}{" "}
        % of the square.
        {told.beyond && " Some of it lies beyond the square."}
      </Typography>
      {told.shared > 0.01 && (
        <Typography variant="body2" sx={{ color: "warning.main", fontWeight: 700 }}>
          {figure(100 * told.shared)} % of that is shared by several faces: an image shows the same on all of them.
        </Typography>
      )}
    </Box>
  );
}

function ToImage({ project, part, choose }: Props) {
  const images = useApp((state) => state.images);
  const picker = useRef<HTMLInputElement>(null);
  const [from, setFrom] = useState(part.sets[0]?.id ?? null);
  const [side, setSide] = useState(1024);
  const [uvSet, setUvSet] = useState(0);
  const [typed, setTyped] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const own = part.sets.find((each) => each.id === from) ?? part.sets[0];
  const name = typed ?? `${part.name} ${own?.name ?? ""}.png`.trim();
  const isThere = images.some((image) => image.name === name);
  const make = async () => {
    if (!own) return;
    setBusy(true);
    const { trouble } = await imageOfColors(project.id, part.id, { set: own.id, uv_set: uvSet, side, name });
    setBusy(false);
    set({
      said:
        trouble !== null
          ? { text: trouble, bad: true }
          : { text: `${name} shows ${own.name} of ${part.name}. Undo takes it out.`, bad: false },
    });
  };
  const bring = async (file: File | undefined) => {
    if (picker.current) picker.current.value = "";
    if (!file) return;
    const { trouble } = await addImage(project.id, file);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
  };
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 0.75 }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          Images for {part.name}
        </Typography>
        <Button
          size="small"
          variant="contained"
          data-test="do-image"
          disabled={!own || part.uv_sets === 0 || name.trim() === "" || busy}
          onClick={() => void make()}>
          {isThere ? "Replace" : "Make"}
        </Button>
      </Box>
      {choose}
      {part.uv_sets === 0 && (
        <Alert severity="info">{part.name} has no texture coordinates yet: lay it out first.</Alert>
      )}
      {!own && <Alert severity="info">{part.name} has no set yet that an image could show.</Alert>}
      {own && (
        <Choose
          label="Shows"
          value={String(own.id)}
          options={part.sets.map((each) => [String(each.id), each.name] as const)}
          onChange={(id) => setFrom(Number(id))}
        />
      )}
      {part.uv_sets > 1 && (
        <Choose
          label="Coordinates"
          value={String(uvSet)}
          options={Array.from({ length: part.uv_sets }, (_, i) => [String(i), `set ${i + 1}`] as const)}
          onChange={(i) => setUvSet(Number(i))}
        />
      )}
      <Choose label="Pixels" value={String(side)} options={sides} onChange={(next) => setSide(Number(next))} />
      <Row label="Called">
        <TextField
          size="small"
          variant="standard"
          value={name}
          onChange={(event) => setTyped(event.target.value)}
          slotProps={{ htmlInput: { "aria-label": "What the image is called" } }}
        />
      </Row>
      <Typography variant="h3" sx={{ mt: 1.5 }}>
        Images of this project
      </Typography>
      {images.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          None yet.
        </Typography>
      )}
      {images.map((image) => (
        <Box key={image.name} data-test="project-image" sx={{ display: "flex", alignItems: "center", gap: 1, py: 0.5 }}>
          <Box
            component="img"
            alt=""
            src={`/api/v1/projects/${project.id}/images?${new URLSearchParams({ name: image.name, size: String(image.bytes) })}`}
            sx={{ width: 40, height: 40, objectFit: "cover", borderRadius: 1.5, border: 1, borderColor: "divider" }}
          />
          <Typography variant="body2" noWrap title={image.name} sx={{ flex: 1, minWidth: 0 }}>
            {image.name}
          </Typography>
          <Button
            size="small"
            color="secondary"
            onClick={() => void project.edit({ type: "delete_image", name: image.name })}>
            Take out
          </Button>
        </Box>
      ))}
      <Button size="small" color="secondary" onClick={() => picker.current?.click()}>
        Bring an image in…
      </Button>
      <input
        ref={picker}
        type="file"
        accept="image/*,.exr"
        hidden
        data-test="bring-image"
        onChange={(event) => void bring(event.target.files?.[0])}
      />
      <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>
        They come back as colors by the source Image in Bake, or by Transfer from a part that shows them.
      </Typography>
    </>
  );
}
