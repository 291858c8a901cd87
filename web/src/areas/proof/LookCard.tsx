// The look in hand: its layers, each over those before it in the list.
import { Box, Button, Paper, Typography } from "@mui/material";
import { useState } from "react";
import { layerOf, lookNamed, type LookLayer } from "../../model/proof";
import { activePart, useApp } from "../../model/state";
import { free } from "../../model/words";
import type { Project } from "../../project/project";
import { useDrop } from "../../widgets/carry";
import { Switching } from "../../widgets/rows";
import { CodeDialog } from "./CodeDialog";
import { LayerRow } from "./LayerRow";
import { turn } from "./lookInHand";

export function LookCard({ project }: { project: Project }) {
  const look = useApp((state) => lookNamed(state, state.proofing.chosen));
  const part = useApp(activePart);
  const [open, setOpen] = useState<number | null>(null);
  const [coded, setCoded] = useState(false);
  const drop = useDrop((app) => app.at);
  if (!look) return null;
  const sets = part?.sets.filter(({ encoding }) => encoding !== "swatch") ?? [];
  const layersAre = (layers: LookLayer[]) => turn(project, { ...look, layers }, false);
  const move = (from: number, to: number) => {
    const carried = look.layers[from];
    if (!carried || to < 0 || to >= look.layers.length || to === from) return;
    const layers = look.layers.filter((_, i) => i !== from);
    layers.splice(to, 0, carried);
    layersAre(layers);
    if (open === from) setOpen(to);
  };
  const add = () => {
    const name = free(
      "Layer",
      look.layers.map((layer) => layer.name),
    );
    const set = sets[0]?.name;
    const factors = set ? [{ set, channel: 0, complement: false }] : [];
    const drive = { factors, contrast: 1, offset: 0, inverted: false };
    layersAre([...look.layers, layerOf(name, [0.72, 0.3, 0.2], { drive })]);
    setOpen(look.layers.length);
  };
  return (
    <Paper variant="outlined" component="section" aria-label="Look in hand" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          {look.name}
        </Typography>
        <Button size="small" color="secondary" data-test="as-code" onClick={() => setCoded(true)}>
          As code…
        </Button>
      </Box>
      <Typography variant="body2" color="textSecondary">
        Each layer lies over those above it here, and shows where its channel says.
      </Typography>
      <Box data-carried-into sx={{ mt: 0.75 }}>
        {look.layers.map((layer, at) => (
          <Box key={at} sx={drop === at ? { boxShadow: "inset 0 2px 0 currentColor" } : undefined}>
            <LayerRow
              look={look}
              layer={layer}
              at={at}
              sets={sets}
              project={project}
              open={open === at}
              onOpen={() => setOpen(open === at ? null : at)}
              onMove={(to) => move(at, to)}
              onRemove={() => {
                setOpen(null);
                layersAre(look.layers.filter((_, i) => i !== at));
              }}
            />
          </Box>
        ))}
      </Box>
      <Button size="small" color="secondary" data-test="add-layer" onClick={add} sx={{ mt: 0.5 }}>
        + A layer
      </Button>
      <Switching
        label="Seen from the front alone"
        on={look.one_sided ?? false}
        onChange={(one_sided) => turn(project, { ...look, one_sided }, false)}
      />
      {coded && <CodeDialog project={project.id} look={look} onClose={() => setCoded(false)} />}
    </Paper>
  );
}
