// Volumes: shapes on the stage that color the faces they meet, for as long as they stand there.
import { Alert, Box, Button, ButtonBase, IconButton, Menu, MenuItem, Tooltip, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { volumesMet } from "../../api/writes";
import { activePart, set, useApp } from "../../model/state";
import { baseOf, nameOf, paintable, shadeOf, swatchOf } from "../../model/swatches";
import { count, figure, symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { matrixOf } from "../../stage/grip";
import { GripChoice } from "../../widgets/GripChoice";
import { EyeIcon, EyeShutIcon, MoreIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import { Choose, Switching } from "../../widgets/rows";
import { SwatchDot } from "../../widgets/SwatchDot";
import { TransformRows } from "../../widgets/TransformRows";
import { change, copy, mirrored, place, put, solids, whatWasCopied, wordOf, type Volume } from "./volumesInHand";
import { VolumesInRow } from "./VolumesInRow";

/** Turns by the grip go in these steps, degrees, where they are snapped. */
const SNAP = 15;

type Met = Schemas["VolumeMet"];

export function VolumesSheet({ project }: { project: Project }) {
  const volumes = useApp((state) => state.volumes);
  const parts = useApp((state) => state.parts);
  const palette = useApp((state) => state.swatches);
  const placing = useApp((state) => state.placing);
  const chosen = useApp((state) => state.volume);
  const inHand = volumes.find(({ id }) => id === chosen);
  const met = useMet(project);
  const [shapes, setShapes] = useState<HTMLElement | null>(null);
  const [copied, setCopied] = useState(whatWasCopied);
  useShown(project);
  // What is to be placed goes with the sheet.
  useEffect(() => () => set({ placing: null, grip: null }), []);
  if (paintable(palette).length === 0)
    return (
      <Typography variant="body2" color="textSecondary">
        Volumes color in swatches, and the palette has none yet: add colors to it under Palette.
      </Typography>
    );
  return (
    <Box>
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Color what a shape meets
      </Typography>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.5, mb: 0.5 }}>
        {solids.map(([solid, word]) => (
          <Button
            key={solid}
            size="small"
            variant="outlined"
            color="secondary"
            data-test={`place-${solid}`}
            onClick={() => place(project, word, { kind: "solid", solid }, null)}
            sx={{ minWidth: 0, py: 0 }}>
            {word}
          </Button>
        ))}
        <Button
          size="small"
          variant="outlined"
          color="secondary"
          data-test="place-part"
          onClick={(event) => setShapes(event.currentTarget)}
          sx={{ minWidth: 0, py: 0 }}>
          A part’s shape…
        </Button>
        {copied && (
          <Button
            size="small"
            color="secondary"
            data-test="paste-volume"
            onClick={() => place(project, wordOf(copied), copied.shape, copied)}
            sx={{ minWidth: 0, py: 0 }}>
            Paste {copied.name}
          </Button>
        )}
      </Box>
      <Menu anchorEl={shapes} open={shapes !== null} onClose={() => setShapes(null)}>
        {parts.map((part) => (
          <MenuItem
            key={part.id}
            dense
            onClick={() => {
              setShapes(null);
              place(project, part.name, { kind: "part", part: part.id }, null);
            }}>
            {part.name}
          </MenuItem>
        ))}
      </Menu>
      {placing ? (
        <Typography variant="body2" data-test="placing" sx={{ fontWeight: 700 }}>
          {placing.says}. Esc lets go.
        </Typography>
      ) : (
        volumes.length === 0 && (
          <Typography variant="body2" color="textSecondary">
            Choose a shape, then click where it goes. It colors unpainted faces for as long as it stands there; freeze
            it to cut a crisp border and keep the paint.
          </Typography>
        )
      )}
      {volumes.map((volume, i) => (
        <VolumeRow
          key={volume.id}
          volume={volume}
          at={i}
          project={project}
          met={met?.find((own) => own.volume === volume.id)}
        />
      ))}
      {inHand && <InHand volume={inHand} project={project} onCopy={() => setCopied(whatWasCopied())} />}
      {volumes.filter(colors).length > 1 && (
        <Button
          size="small"
          color="secondary"
          data-test="freeze-all"
          onClick={() =>
            void project.edit({ type: "freeze_volumes", volumes: volumes.filter(colors).map(({ id }) => id ?? 0) })
          }
          sx={{ mt: 1 }}>
          Freeze all {volumes.filter(colors).length}
        </Button>
      )}
    </Box>
  );
}

/** Whether one colors anything as it is. */
const colors = ({ off, swatch }: Volume) => !off && swatch > 0;

/** What volumes meet, asked for anew whenever something has changed. */
function useMet(project: Project): Met[] | null {
  const [met, setMet] = useState<Met[] | null>(null);
  const revision = useApp((state) => state.history.revision);
  const none = useApp((state) => state.volumes.length === 0);
  useEffect(() => {
    if (none) return;
    let isLast = true;
    void volumesMet(project.id).then(({ data }) => isLast && data && setMet(data));
    return () => void (isLast = false);
  }, [project, revision, none]);
  return none ? null : met;
}

/** Volumes are on the stage as long as their sheet is open, and follow the hand by the grip. */
function useShown(project: Project) {
  const volumes = useApp((state) => state.volumes);
  const palette = useApp((state) => state.swatches);
  const chosen = useApp((state) => state.volume);
  const parts = useApp((state) => state.parts);
  const { stage } = project;
  useEffect(() => {
    const shown = volumes.map((volume) => {
      const swatch = swatchOf(palette, volume.swatch);
      const [r = 0.5, g = 0.5, b = 0.5] = swatch ? shadeOf(swatch) : [];
      return { volume, color: [r, g, b] as const };
    });
    stage.showVolumes(shown, chosen);
  }, [stage, volumes, palette, chosen, parts]);
  useEffect(() => () => stage.showVolumes([], null), [stage]);
}

function VolumeRow({
  volume,
  at,
  project,
  met,
}: {
  volume: Volume;
  at: number;
  project: Project;
  met: Met | undefined;
}) {
  const volumes = useApp((state) => state.volumes);
  const palette = useApp((state) => state.swatches);
  const isChosen = useApp((state) => state.volume === volume.id);
  const swatch = swatchOf(palette, volume.swatch);
  const move = (to: number) => {
    const turned = volumes.filter((_, i) => i !== at);
    turned.splice(to, 0, volume);
    void put(project, turned);
  };
  return (
    <Box data-test="volume" sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 0.25 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.5, minHeight: 32 }}>
        <ButtonBase
          aria-pressed={isChosen}
          onClick={() => set({ volume: isChosen ? null : (volume.id ?? null) })}
          sx={{ flex: 1, minWidth: 0, justifyContent: "flex-start", gap: 0.75, borderRadius: 1 }}>
          <SwatchDot swatch={swatch} size={20} />
          <Typography variant="body2" noWrap sx={{ fontWeight: isChosen ? 700 : 400 }}>
            {volume.name}
          </Typography>
          <Typography variant="caption" color="textSecondary" noWrap>
            {volume.over ? "over paint" : "under paint"}
          </Typography>
        </ButtonBase>
        {(["↑", "↓"] as const).map((arrow, i) => (
          <Tooltip key={arrow} title={i === 0 ? "Lies over the one above" : "Lies under the one below"}>
            <span>
              <IconButton
                size="small"
                aria-label={`${volume.name} ${i === 0 ? "further up" : "further down"}`}
                disabled={i === 0 ? at === 0 : at === volumes.length - 1}
                onClick={() => move(i === 0 ? at - 1 : at + 1)}
                sx={{ fontSize: 14, width: 24, height: 24 }}>
                {arrow}
              </IconButton>
            </span>
          </Tooltip>
        ))}
        <Tooltip title={volume.off ? "Let it color again" : "Let it color nothing for now"}>
          <IconButton
            size="small"
            aria-label={`${volume.name} colors`}
            aria-pressed={!volume.off}
            onClick={() => void change(project, volume, { off: !volume.off })}
            sx={{ width: 26, height: 26 }}>
            {volume.off ? <EyeShutIcon sx={{ fontSize: 18 }} /> : <EyeIcon sx={{ fontSize: 18 }} />}
          </IconButton>
        </Tooltip>
        <IconButton
          size="small"
          aria-label={`Take ${volume.name} away`}
          onClick={() =>
            void put(
              project,
              volumes.filter(({ id }) => id !== volume.id),
            )
          }
          sx={{ fontSize: 16, width: 26, height: 26 }}>
          ×
        </IconButton>
      </Box>
      {!volume.off && met && <Meets met={met} isChosen={isChosen} project={project} />}
    </Box>
  );
}

/** What a volume meets, and where it comes out elsewhere. */
function Meets({ met, isChosen, project }: { met: Met; isChosen: boolean; project: Project }) {
  const parts = useApp((state) => state.parts);
  const unit = useApp((state) => symbols[state.traits.unit]);
  const nameOfPart = (id: number) => parts.find((part) => part.id === id)?.name ?? "";
  const [own, ...others] = met.patches;
  const where = [...new Set(others.map(({ part }) => nameOfPart(part)))].join(", ");
  const deaf = parts.filter(({ id }) => met.patches.some(({ part, takes }) => part === id && !takes));
  const volumes = useApp((state) => state.volumes);
  const look = (at: number[]) => project.stage.showPlaces(null, at);
  if (!own)
    return (
      <Typography variant="caption" component="div" sx={{ color: "warning.main" }} data-test="meets">
        It holds the middle of no face: move it, or make faces smaller there.
      </Typography>
    );
  return (
    <>
      {isChosen && (
        <Typography variant="caption" component="div" color="textSecondary" data-test="meets">
          Meets {count(own.faces)} {own.faces === 1 ? "face" : "faces"} of {nameOfPart(own.part)}, {figure(own.area)}{" "}
          {unit}²
        </Typography>
      )}
      {others.length > 0 && (
        <Typography
          variant="caption"
          component="div"
          data-test="elsewhere"
          sx={{ color: "warning.main", fontWeight: 700 }}>
          Comes out in {met.count === 2 ? "one other place" : `${count(met.count - 1)} other places`} of {where}{" "}
          <ButtonBase
            onMouseEnter={() => look(others.flatMap(({ at }) => at))}
            onMouseLeave={() => look([])}
            onFocus={() => look(others.flatMap(({ at }) => at))}
            onBlur={() => look([])}
            sx={{ font: "inherit", color: "secondary.main", verticalAlign: "baseline" }}>
            show
          </ButtonBase>
        </Typography>
      )}
      {deaf.map((part) => (
        <Typography key={part.id} variant="caption" component="div" color="textSecondary">
          {part.name} takes no color from volumes{part.locked ? ": it is locked" : ""}{" "}
          {!part.locked && (
            <ButtonBase
              data-test="let-it-take"
              onClick={() => void put(project, volumes, part.id)}
              sx={{ font: "inherit", color: "secondary.main", verticalAlign: "baseline" }}>
              let it
            </ButtonBase>
          )}
        </Typography>
      ))}
    </>
  );
}

function InHand({ volume, project, onCopy }: { volume: Volume; project: Project; onCopy: () => void }) {
  const palette = useApp((state) => state.swatches);
  const unit = useApp((state) => symbols[state.traits.unit]);
  const grip = useApp((state) => state.grip);
  const part = useApp(activePart);
  const volumes = useApp((state) => state.volumes);
  const base = baseOf(palette, part?.base ?? 0);
  const [snaps, setSnaps] = useState(true);
  const [even, setEven] = useState(true);
  const [naming, setNaming] = useState(false);
  const [more, setMore] = useState<HTMLElement | null>(null);
  const { stage } = project;
  const placed = JSON.stringify([volume.id, volume.transform, volume.shape]);
  useEffect(() => {
    if (grip === null) return;
    const { transform } = volume;
    stage.gripOnVolume({
      mode: grip,
      transform,
      middle: stage.middleOfVolume(volume.id ?? 0),
      snap: snaps ? SNAP : undefined,
      even,
      onTurn: (next, isLast) => {
        stage.standVolume(volume.id ?? 0, matrixOf(next));
        if (isLast && JSON.stringify(next) !== JSON.stringify(transform))
          void change(project, volume, { transform: next });
      },
    });
    return () => stage.gripOnVolume(null);
    // Of the volume only where it stands.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [stage, placed, grip, snaps, even]);
  const { shape } = volume;
  const shaper = useApp((state) => state.parts.find(({ id }) => shape.kind === "part" && id === shape.part));
  const isGone = shape.kind === "part" && !shaper;
  const choose = (act: () => void) => () => {
    setMore(null);
    act();
  };
  return (
    <Box
      data-test="volume-in-hand"
      sx={{ mt: 1, p: 1.25, border: 1, borderColor: "divider", borderRadius: 2.5 }}
      onKeyDown={(event) => {
        if (!(event.ctrlKey || event.metaKey)) event.stopPropagation();
      }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.5, mb: 0.75 }}>
        <Typography variant="h3" noWrap sx={{ flex: 1, minWidth: 0 }}>
          {volume.name}
        </Typography>
        <GripChoice disabled={false} />
        <IconButton
          size="small"
          aria-label={`More for ${volume.name}`}
          data-test="volume-more"
          onClick={(event) => setMore(event.currentTarget)}>
          <MoreIcon sx={{ fontSize: 18 }} />
        </IconButton>
      </Box>
      <Menu anchorEl={more} open={more !== null} onClose={() => setMore(null)}>
        <MenuItem dense onClick={choose(() => setNaming(true))}>
          Rename…
        </MenuItem>
        <MenuItem
          dense
          onClick={choose(() => {
            copy(volume);
            onCopy();
          })}>
          Copy
        </MenuItem>
        {part &&
          (["X", "Y", "Z"] as const).map((axis, i) => (
            <MenuItem
              key={axis}
              dense
              onClick={choose(() => void put(project, [...volumes, mirrored(volume, part, i as 0 | 1 | 2)]))}>
              Mirror along {axis} about the middle of {part.name}
            </MenuItem>
          ))}
      </Menu>
      {shaper?.visible && (
        <Typography variant="caption" color="textSecondary" component="div" sx={{ mb: 0.5 }}>
          {shaper.name} itself is printed too, unless it is hidden.
        </Typography>
      )}
      {isGone && <Alert severity="warning">The part that it had its shape from is gone: it colors nothing.</Alert>}
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: "4px", mb: 0.75 }} role="group" aria-label="It colors in">
        {paintable(palette).map((swatch) => (
          <Tooltip key={swatch.number} title={nameOf(swatch) + (swatch.number === base?.number ? ", the base" : "")}>
            <ButtonBase
              aria-label={`Color in ${nameOf(swatch)}`}
              aria-pressed={swatch.number === volume.swatch}
              data-test={`volume-in-${swatch.number}`}
              onClick={() => void change(project, volume, { swatch: swatch.number ?? 0 })}
              sx={{
                borderRadius: "50%",
                outline: swatch.number === volume.swatch ? "2px solid" : "none",
                outlineColor: "primary.main",
                outlineOffset: 1,
              }}>
              <SwatchDot swatch={swatch} size={22} />
            </ButtonBase>
          </Tooltip>
        ))}
      </Box>
      <Choose
        label="It colors"
        value={volume.over ? "all" : "unpainted"}
        options={[
          ["unpainted", "unpainted faces"],
          ["all", "all faces"],
        ]}
        onChange={(which) => void change(project, volume, { over: which === "all" })}
      />
      <TransformRows
        transform={volume.transform}
        unit={unit}
        disabled={false}
        onTransform={(transform) => void change(project, volume, { transform })}
      />
      {grip === "turn" && <Switching label={`Turn in steps of ${SNAP}°`} on={snaps} onChange={setSnaps} />}
      {grip === "scale" && <Switching label="Scale alike along all axes" on={even} onChange={setEven} />}
      {part && <VolumesInRow volume={volume} project={project} />}
      <Button
        size="small"
        variant="contained"
        data-test="freeze-volume"
        disabled={!colors(volume) || isGone}
        onClick={() => void project.edit({ type: "freeze_volumes", volumes: [volume.id ?? 0] })}
        sx={{ mt: 1 }}>
        Freeze into paint
      </Button>
      {naming && (
        <NameDialog
          title={`Rename ${volume.name}`}
          name={volume.name}
          act="Rename"
          onName={(name) =>
            project.attempt({
              type: "set_volumes",
              volumes: volumes.map((own) => (own.id === volume.id ? { ...own, name } : own)),
            })
          }
          onClose={() => setNaming(false)}
        />
      )}
    </Box>
  );
}
