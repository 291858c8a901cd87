// A layer of a look: what is laid on, where, and, opened, all its numbers.
import { Box, Button, ButtonBase, Chip, IconButton, Menu, MenuItem, Select, Typography } from "@mui/material";
import { useState } from "react";
import {
  blendWords,
  driveWords,
  layerWords,
  type LookCoat,
  type LookFactor,
  type LookLayer,
  type ProofLook,
} from "../../model/proof";
import { useApp, type ColorSet } from "../../model/state";
import { channelInk, channelName } from "../../model/theme";
import type { Project } from "../../project/project";
import { useCarry } from "../../widgets/carry";
import { ColorWell } from "../../widgets/ColorWell";
import { MoreIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import { Choose, Row, Sliding, Switching } from "../../widgets/rows";
import { GripIcon } from "../../widgets/sourceIcons";
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
      {open && <Fields layer={layer} sets={sets} put={put} />}
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

const kinds = [
  ["color", "a color"],
  ["set", "a set’s colors"],
  ["ramp", "a ramp by a channel"],
  ["shift", "a shift of the color below"],
] as const;

function Fields({
  layer,
  sets,
  put,
}: {
  layer: LookLayer;
  sets: ColorSet[];
  put: (by: Partial<LookLayer>, rests?: boolean) => void;
}) {
  const { coat, drive } = layer;
  const first = sets[0]?.name ?? "Color";
  const mask = {
    factors: drive?.factors ?? [],
    contrast: drive?.contrast ?? 1,
    offset: drive?.offset ?? 0,
    inverted: drive?.inverted ?? false,
  };
  const coatIs = (kind: LookCoat["kind"]) => {
    const made: Record<LookCoat["kind"], LookCoat> = {
      color: { kind: "color", color: [0.72, 0.3, 0.2] },
      set: { kind: "set", set: first },
      ramp: {
        kind: "ramp",
        stops: [
          [0.08, 0.1, 0.12],
          [0.95, 0.93, 0.88],
        ],
        by: { set: first, channel: 0, complement: false },
      },
      shift: { kind: "shift", set: first, amounts: [0.3, 0.1, 0.1] },
    };
    put({ coat: made[kind] });
  };
  const names = sets.map(({ name }) => [name, name] as const);
  const drives = (by: Partial<typeof mask>, rests = false) => put({ drive: { ...mask, ...by } }, rests);
  return (
    <Box sx={{ pb: 1 }}>
      <Choose label="Lays on" value={coat.kind} options={kinds} onChange={coatIs} />
      {(coat.kind === "set" || coat.kind === "shift") && (
        <Choose
          label="Of the set"
          value={coat.set}
          options={withMissing(names, coat.set)}
          onChange={(set) => put({ coat: { ...coat, set } })}
        />
      )}
      {coat.kind === "ramp" && (
        <>
          <FactorRow label="Along" factor={coat.by} names={names} onFactor={(by) => put({ coat: { ...coat, by } })} />
          <Row label="Colors">
            {coat.stops.map((stop, i) => (
              <ColorWell
                key={i}
                size={22}
                mark={`stop-${i}`}
                withAlpha={false}
                color={[stop[0] ?? 0, stop[1] ?? 0, stop[2] ?? 0, 1]}
                onChange={([r, g, b]) =>
                  put({ coat: { ...coat, stops: coat.stops.map((own, j) => (j === i ? [r, g, b] : own)) } }, true)
                }
              />
            ))}
            <Button
              size="small"
              color="secondary"
              sx={{ minWidth: 0, py: 0 }}
              onClick={() => {
                const [low = [0, 0, 0], middle = [0.5, 0.5, 0.5], high] = coat.stops;
                put({
                  coat: {
                    ...coat,
                    stops: high ? [low, high] : [low, low.map((x, i) => (x + (middle[i] ?? 0)) / 2), middle],
                  },
                });
              }}>
              {coat.stops.length === 2 ? "three" : "two"}
            </Button>
          </Row>
        </>
      )}
      {coat.kind === "shift" &&
        (["Lightness by R", "Green–red by G", "Blue–yellow by B"] as const).map((label, i) => (
          <Sliding
            key={label}
            label={label}
            value={coat.amounts[i] ?? 0}
            min={-1}
            max={1}
            step={0.01}
            digits={2}
            onChange={(next) =>
              put({ coat: { ...coat, amounts: coat.amounts.map((own, j) => (j === i ? next : own)) } }, true)
            }
          />
        ))}
      <Choose label="Blend" value={layer.blend ?? "normal"} options={blendWords} onChange={(blend) => put({ blend })} />
      {mask.factors.map((factor, i) => (
        <FactorRow
          key={i}
          label={i === 0 ? "Where" : "times"}
          factor={factor}
          names={names}
          onFactor={(next) => drives({ factors: mask.factors.map((own, j) => (j === i ? next : own)) })}
          onRemove={() => drives({ factors: mask.factors.filter((_, j) => j !== i) })}
        />
      ))}
      {mask.factors.length < 4 && (
        <Button
          size="small"
          color="secondary"
          data-test="add-factor"
          onClick={() =>
            drives({
              factors: [...mask.factors, { set: first, channel: Math.min(mask.factors.length, 3), complement: false }],
            })
          }>
          {mask.factors.length === 0 ? "Where a channel says" : "times a channel"}
        </Button>
      )}
      {mask.factors.length > 0 && (
        <>
          <Sliding
            label="Contrast"
            value={mask.contrast}
            min={0}
            max={10}
            step={0.05}
            digits={2}
            onChange={(contrast) => drives({ contrast }, true)}
          />
          <Sliding
            label="Offset"
            value={mask.offset}
            min={-1}
            max={1}
            step={0.01}
            digits={2}
            onChange={(offset) => drives({ offset }, true)}
          />
          <Switching label="Turned about" on={mask.inverted} onChange={(inverted) => drives({ inverted })} />
        </>
      )}
      <Sliding
        label="Strength"
        value={100 * layer.strength}
        min={0}
        max={100}
        step={1}
        unit="%"
        onChange={(next) => put({ strength: next / 100 }, true)}
      />
      <Optional label="Roughness" value={layer.rough} usual={0.5} onValue={(rough, rests) => put({ rough }, rests)} />
      <Optional label="Metal" value={layer.metal} usual={1} onValue={(metal, rests) => put({ metal }, rests)} />
      <Optional label="Glow" value={layer.glow} usual={1} max={8} onValue={(glow, rests) => put({ glow }, rests)} />
    </Box>
  );
}

/** A number that may be left as what lies below has it. */
function Optional({
  label,
  value,
  usual,
  max = 1,
  onValue,
}: {
  label: string;
  value: number | null | undefined;
  usual: number;
  max?: number;
  onValue: (value: number | null, rests: boolean) => void;
}) {
  if (value == null)
    return (
      <Row label={label}>
        <Button
          size="small"
          color="secondary"
          aria-label={`Set ${label.toLowerCase()}`}
          onClick={() => onValue(usual, false)}
          sx={{ py: 0 }}>
          as below
        </Button>
      </Row>
    );
  return (
    <Box sx={{ display: "flex", alignItems: "center" }}>
      <Box sx={{ flex: 1 }}>
        <Sliding
          label={label}
          value={value}
          min={0}
          max={max}
          step={0.01}
          digits={2}
          onChange={(next) => onValue(next, true)}
        />
      </Box>
      <Button
        size="small"
        color="inherit"
        aria-label={`${label} as below`}
        onClick={() => onValue(null, false)}
        sx={{ minWidth: 0, py: 0 }}>
        ×
      </Button>
    </Box>
  );
}

/** A set that no part in hand has is named all the same. */
const withMissing = (names: readonly (readonly [string, string])[], set: string) =>
  names.some(([name]) => name === set) ? names : [...names, [set, `${set} (missing)`] as const];

function FactorRow({
  label,
  factor,
  names,
  onFactor,
  onRemove,
}: {
  label: string;
  factor: LookFactor;
  names: readonly (readonly [string, string])[];
  onFactor: (factor: LookFactor) => void;
  onRemove?: () => void;
}) {
  return (
    <Row label={label}>
      <Button
        size="small"
        color="inherit"
        aria-pressed={factor.complement ?? false}
        aria-label={`${label}: the complement`}
        onClick={() => onFactor({ ...factor, complement: !factor.complement })}
        sx={{ minWidth: 0, py: 0, fontWeight: factor.complement ? 700 : 400, opacity: factor.complement ? 1 : 0.45 }}>
        not
      </Button>
      <Select
        variant="standard"
        disableUnderline
        value={factor.set}
        onChange={(event) => onFactor({ ...factor, set: event.target.value })}
        inputProps={{ "aria-label": `${label}: the set` }}
        sx={{ fontSize: 13, fontWeight: 600, maxWidth: 96 }}>
        {withMissing(names, factor.set).map(([key, title]) => (
          <MenuItem key={key} value={key} dense>
            {title}
          </MenuItem>
        ))}
      </Select>
      {channelName.map((name, channel) => (
        <ButtonBase
          key={name}
          aria-label={`${label}: ${name}`}
          aria-pressed={factor.channel === channel}
          onClick={() => onFactor({ ...factor, channel })}
          sx={{
            width: 20,
            height: 20,
            borderRadius: 1,
            fontSize: 12,
            fontWeight: 700,
            color: channelInk[channel],
            border: 1.5,
            borderColor: factor.channel === channel ? "currentColor" : "transparent",
          }}>
          {name}
        </ButtonBase>
      ))}
      {onRemove && (
        <Button
          size="small"
          color="inherit"
          aria-label={`${label}: leave it out`}
          onClick={onRemove}
          sx={{ minWidth: 0, py: 0 }}>
          ×
        </Button>
      )}
    </Row>
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
  const background =
    coat.kind === "ramp"
      ? `linear-gradient(90deg, ${coat.stops.map((stop) => `rgb(${stop.map((x) => Math.round(255 * x)).join(" ")})`).join(", ")})`
      : "conic-gradient(#B3372F, #2F7A43, #2F5FB3, #B3372F)";
  return <Box sx={{ width: size, height: size, borderRadius: "50%", background, flexShrink: 0 }} />;
}
