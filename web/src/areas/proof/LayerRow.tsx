// A layer of a look: what is laid on, where, and, opened, all its numbers.
import { Box, ButtonBase, Chip, IconButton, Menu, MenuItem, Typography } from "@mui/material";
import { useState } from "react";
import { driveWords, layerWords, type LookCoat, type LookLayer, type ProofLook } from "../../model/proof";
import { useApp, type ColorSet } from "../../model/state";
import { channelInk } from "../../model/theme";
import type { Project } from "../../project/project";
import { useCarry } from "../../widgets/carry";
import { ColorWell } from "../../widgets/ColorWell";
import { MoreIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import { GripIcon, SourceIcon } from "../../widgets/sourceIcons";
import { LayerFields } from "./LayerFields";
import { showAlone, turnLayer } from "./lookInHand";

interface Props {
  look: ProofLook;
  layer: LookLayer;
  at: number;
  sets: ColorSet[];
  project: Project;
  open: boolean;
  onOpen: () => void;
  onMove: (to: number) => void;
  onRemove: () => void;
}

/** The edge of a row has the ink of the channel that drives it. */
const inkOf = ({ drive }: LookLayer) => channelInk[drive?.factors?.[0]?.channel ?? 3] ?? channelInk[3];

export function LayerRow({ look, layer, at, sets, project, open, onOpen, onMove, onRemove }: Props) {
  const alone = useApp((state) => state.proofing.alone === at);
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState(false);
  const carry = useCarry((to) => onMove(to > at ? to - 1 : to));
  const put = (by: Partial<LookLayer>, rests = false) => turnLayer(project, look, at, by, rests);
  const off = layer.off ?? false;
  const choose = (run: () => void) => () => {
    setMenu(null);
    run();
  };
  return (
    <Box data-step={at} data-test="layer" sx={{ borderLeft: 3, borderColor: inkOf(layer), pl: 0.75, my: 0.75 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, opacity: off ? 0.5 : 1 }}>
        <ButtonBase
          {...carry}
          aria-label={`Move ${layer.name}`}
          onKeyDown={(event) => {
            if (event.key !== "ArrowUp" && event.key !== "ArrowDown") return;
            event.preventDefault();
            event.stopPropagation();
            onMove(at + (event.key === "ArrowUp" ? -1 : 1));
          }}
          sx={{ width: 16, height: 32, color: "text.secondary", cursor: "grab" }}>
          <GripIcon sx={{ fontSize: 18 }} />
        </ButtonBase>
        <CoatWell coat={layer.coat} onCoat={(coat) => put({ coat }, true)} size={22} />
        <ButtonBase
          aria-expanded={open}
          data-test="layer-open"
          onClick={onOpen}
          sx={{ flex: 1, minWidth: 0, display: "block", textAlign: "left" }}>
          <Typography variant="h3" component="span" noWrap sx={{ display: "block", fontSize: 14 }}>
            {layer.name}
          </Typography>
          <Typography variant="caption" color="textSecondary" noWrap sx={{ display: "block", lineHeight: 1.3 }}>
            {layerWords(layer)}
          </Typography>
        </ButtonBase>
        <Chip
          size="small"
          variant="outlined"
          label={alone ? "alone" : off ? "off" : driveWords(layer)}
          sx={{ maxWidth: 132 }}
        />
        <IconButton
          size="small"
          aria-label={`More about ${layer.name}`}
          data-test="layer-more"
          onClick={(event) => setMenu(event.currentTarget)}
          sx={{ width: 24, mr: -0.75 }}>
          <MoreIcon sx={{ fontSize: 18 }} />
        </IconButton>
      </Box>
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        <MenuItem dense onClick={choose(() => showAlone(alone ? null : at))}>
          {alone ? "Show with the others" : "Show alone"}
        </MenuItem>
        <MenuItem dense onClick={choose(() => put({ off: !off }))}>
          {off ? "Switch on" : "Switch off"}
        </MenuItem>
        <MenuItem dense onClick={choose(() => setNaming(true))}>
          Rename
        </MenuItem>
        <MenuItem dense onClick={choose(onRemove)}>
          Remove
        </MenuItem>
      </Menu>
      {open && <LayerFields project={project} layer={layer} sets={sets} put={put} />}
      {naming && (
        <NameDialog
          title="Rename the layer"
          name={layer.name}
          act="Rename"
          onName={(name) => {
            put({ name });
            return Promise.resolve(null);
          }}
          onClose={() => setNaming(false)}
        />
      )}
    </Box>
  );
}

/** The color of a coat, to be changed where it is one. */
function CoatWell({ coat, onCoat, size }: { coat: LookCoat; onCoat: (coat: LookCoat) => void; size: number }) {
  if (coat.kind === "color") {
    const [r = 0, g = 0, b = 0] = coat.color;
    return (
      <ColorWell
        size={size}
        mark="coat"
        withAlpha={false}
        color={[r, g, b, 1]}
        onChange={([red, green, blue]) => onCoat({ ...coat, color: [red, green, blue] })}
      />
    );
  }
  if (coat.kind === "image")
    return <SourceIcon kind="image" sx={{ fontSize: size, flexShrink: 0, color: "text.secondary" }} />;
  const background =
    coat.kind === "ramp"
      ? `linear-gradient(90deg, ${coat.stops.map((stop) => `rgb(${stop.map((x) => Math.round(255 * x)).join(" ")})`).join(", ")})`
      : "conic-gradient(#B3372F, #2F7A43, #2F5FB3, #B3372F)";
  return <Box sx={{ width: size, height: size, borderRadius: "50%", background, flexShrink: 0 }} />;
}
