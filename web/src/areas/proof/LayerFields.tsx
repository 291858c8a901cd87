// All numbers of a layer: what it lays on, where, and what the surface is like there.
import { Box, Button, Typography } from "@mui/material";
import { useState } from "react";
import { blendWords, type LookCoat, type LookImage, type LookLayer } from "../../model/proof";
import { activePart, useApp, type ColorSet, type Part } from "../../model/state";
import { symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { boxOf } from "../../project/tools";
import { ColorWell } from "../../widgets/ColorWell";
import { ImageChoice, LaidRows } from "../../widgets/ImageChoice";
import { Choose, Row, Sliding, Switching } from "../../widgets/rows";
import { FactorRow, withMissing } from "./FactorRow";

const kinds = [
  ["color", "a color"],
  ["image", "an image"],
  ["set", "a set’s colors"],
  ["ramp", "a ramp by a channel"],
  ["shift", "a shift of the color below"],
] as const;

export function LayerFields({
  project,
  layer,
  sets,
  put,
}: {
  project: Project;
  layer: LookLayer;
  sets: ColorSet[];
  put: (by: Partial<LookLayer>, rests?: boolean) => void;
}) {
  const { coat, drive, normals } = layer;
  const images = useApp((state) => state.images);
  const part = useApp(activePart);
  const [choosing, setChoosing] = useState(false);
  const [bending, setBending] = useState(false);
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
      image: { kind: "image", laid: laidOf(images[0]?.name ?? "") },
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
    // Without an image there is none to lay on: it is chosen first.
    const isMissing = kind === "image" && images.length === 0;
    setChoosing(isMissing);
    if (!isMissing) put({ coat: made[kind] });
  };
  const names = sets.map(({ name }) => [name, name] as const);
  const drives = (by: Partial<typeof mask>, rests = false) => put({ drive: { ...mask, ...by } }, rests);
  return (
    <Box sx={{ pb: 1 }}>
      <Choose label="Lays on" value={coat.kind} options={kinds} onChange={coatIs} />
      {choosing && coat.kind !== "image" && (
        <ImageChoice
          project={project}
          image=""
          onImage={(image) => {
            setChoosing(false);
            put({ coat: { kind: "image", laid: laidOf(image) } });
          }}
        />
      )}
      {coat.kind === "image" && (
        <ImageRows
          project={project}
          part={part}
          laid={coat.laid}
          onLaid={(laid, rests) => put({ coat: { ...coat, laid } }, rests)}
        />
      )}
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
      <Optional
        label="Light through"
        value={layer.through}
        usual={0.5}
        onValue={(through, rests) => put({ through }, rests)}
      />
      <Optional label="Softness" value={layer.soft} usual={0.6} onValue={(soft, rests) => put({ soft }, rests)} />
      {normals ? (
        <>
          <ImageRows
            project={project}
            part={part}
            laid={normals.laid}
            mark="normal-map-file"
            onLaid={(laid, rests) => put({ normals: { ...normals, laid } }, rests)}
          />
          <Sliding
            label="Steepness"
            value={normals.strength}
            min={-3}
            max={3}
            step={0.05}
            digits={2}
            onChange={(strength) => put({ normals: { ...normals, strength } }, true)}
          />
          <Button size="small" color="inherit" onClick={() => put({ normals: null })}>
            No normal map
          </Button>
        </>
      ) : bending ? (
        <>
          <ImageChoice
            project={project}
            image=""
            mark="normal-map-file"
            onImage={(image) => {
              setBending(false);
              put({ normals: { laid: laidOf(image), strength: 1 } });
            }}
          />
          <Button size="small" color="inherit" onClick={() => setBending(false)}>
            No normal map
          </Button>
        </>
      ) : (
        <Row label="Normals">
          <Button
            size="small"
            color="secondary"
            aria-label="Set a normal map"
            onClick={() => setBending(true)}
            sx={{ py: 0 }}>
            as below
          </Button>
        </Row>
      )}
      <Optional label="Glow" value={layer.glow} usual={1} max={8} onValue={(glow, rests) => put({ glow }, rests)} />
    </Box>
  );
}

const laidOf = (image: string): LookImage => ({ image, lay: { kind: "uv" }, repeat: [1, 1], offset: [0, 0], turn: 0 });

/** Which image, and how it lies. */
function ImageRows({
  project,
  part,
  laid,
  mark,
  onLaid,
}: {
  project: Project;
  part: Part | undefined;
  laid: LookImage;
  mark?: string;
  onLaid: (laid: LookImage, rests: boolean) => void;
}) {
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const size = part ? Math.max(...boxOf(part).size) : 1;
  const lay = laid.lay ?? { kind: "uv" };
  return (
    <>
      <ImageChoice
        project={project}
        image={laid.image}
        mark={mark}
        onImage={(image) => onLaid({ ...laid, image }, false)}
      />
      {mark === undefined && (
        <Choose
          label="Lies"
          value={lay.kind}
          options={[
            ["uv", "by UV"],
            ["three_axes", "from three axes"],
          ]}
          onChange={(kind) => onLaid({ ...laid, lay: kind === "uv" ? { kind } : { kind, width: size / 2 } }, false)}
        />
      )}
      {lay.kind === "uv" && part?.uv_sets === 0 && (
        <Typography variant="caption" sx={{ color: "warning.main" }}>
          {part.name} has no UVs: {mark === undefined ? "lay the image from three axes." : "unfold it in Gather first."}
        </Typography>
      )}
      {lay.kind === "three_axes" && (
        <Sliding
          label="Width"
          value={lay.width}
          min={size / 50}
          max={size * 2}
          step={size / 200}
          unit={symbol}
          digits={size < 10 ? 3 : 1}
          onChange={(width) => onLaid({ ...laid, lay: { kind: "three_axes", width } }, true)}
        />
      )}
      <LaidRows
        repeat={laid.repeat}
        offset={laid.offset}
        turn={laid.turn}
        onTurn={(by) => onLaid({ ...laid, ...by }, true)}
      />
    </>
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
