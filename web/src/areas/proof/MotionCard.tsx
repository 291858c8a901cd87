// How what wears the look in hand moves, the wind, and what a part is tied to.
import { Box, Button, Paper, Typography } from "@mui/material";
import type { Schemas } from "../../api/client";
import { lookMoves, lookNamed, tieOf, windOf, type LookMotion, type ProofLook } from "../../model/proof";
import { activePart, useApp, type Part } from "../../model/state";
import { symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { boxOf } from "../../project/tools";
import { Choose, Sliding, Switching } from "../../widgets/rows";
import { FactorRow } from "./FactorRow";
import { momentIs, turn, turnWind } from "./lookInHand";

export function MotionCard({ project }: { project: Project }) {
  const look = useApp((state) => lookNamed(state, state.proofing.chosen));
  const part = useApp(activePart);
  const moment = useApp((state) => state.proofing.moment);
  if (!look || !part) return null;
  const moves = lookMoves(look);
  return (
    <Paper variant="outlined" component="section" aria-label="Motion" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2">Motion</Typography>
      {!moves && (
        <Typography variant="body2" color="textSecondary">
          Channels can move what wears this look: in the wind, along its normals, by noise.
        </Typography>
      )}
      {moves && (
        <>
          <Switching label="Let it move" on={moment !== null} onChange={(on) => momentIs(on ? "running" : null)} />
          {moment !== null && (
            <Switching
              label="Hold it at a moment"
              on={moment !== "running"}
              onChange={(held) => momentIs(held ? 0 : "running")}
            />
          )}
          {typeof moment === "number" && (
            <Sliding
              label="Moment"
              value={moment}
              min={0}
              max={10}
              step={0.02}
              digits={2}
              unit="s"
              onChange={momentIs}
            />
          )}
        </>
      )}
      <Ways project={project} look={look} part={part} />
      {look.motion?.sway != null && <WindRows project={project} part={part} />}
      <TieRow project={project} part={part} />
    </Paper>
  );
}

/** Sway, push and disturb, each with its channel. */
function Ways({ project, look, part }: { project: Project; look: ProofLook; part: Part }) {
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const motion: LookMotion = look.motion ?? {};
  const { sway, push, disturb } = motion;
  const size = Math.max(...boxOf(part).size) || 1;
  const sets = part.sets.filter(({ encoding }) => encoding !== "swatch");
  const data = sets.find(({ encoding }) => encoding === "data") ?? sets[0];
  const names = sets.map(({ name }) => [name, name] as const);
  const first = { set: data?.name ?? "Color", channel: 0, complement: false };
  const put = (by: Partial<LookMotion>, rests = false) =>
    turn(project, { ...look, motion: { ...motion, ...by } }, rests);
  const begin = (by: Partial<LookMotion>) => {
    put(by);
    momentIs("running");
  };
  const far = (value: number, onChange: (far: number) => void, both = false) => (
    <Sliding
      label="How far"
      value={value}
      min={both ? -size : 0}
      max={size}
      step={size / 500}
      digits={size < 10 ? 3 : 1}
      unit={symbol}
      onChange={onChange}
    />
  );
  return (
    <>
      {sway ? (
        <Way title="Sway" onRemove={() => put({ sway: null })}>
          <FactorRow label="By" factor={sway.by} names={names} onFactor={(by) => put({ sway: { ...sway, by } })} />
          {far(sway.far, (next) => put({ sway: { ...sway, far: next } }, true))}
          {sway.phase ? (
            <FactorRow
              label="Phase"
              factor={sway.phase}
              names={names}
              onFactor={(phase) => put({ sway: { ...sway, phase } })}
              onRemove={() => put({ sway: { ...sway, phase: null } })}
            />
          ) : (
            <Add
              mark="add-phase"
              says="+ A phase by a channel"
              onAdd={() => put({ sway: { ...sway, phase: first } })}
            />
          )}
        </Way>
      ) : (
        <Add
          mark="add-sway"
          says="+ Sway in the wind"
          onAdd={() => begin({ sway: { by: first, far: size / 4, phase: null } })}
        />
      )}
      {push ? (
        <Way title="Push along the normals" onRemove={() => put({ push: null })}>
          <FactorRow label="By" factor={push.by} names={names} onFactor={(by) => put({ push: { ...push, by } })} />
          {far(push.far, (next) => put({ push: { ...push, far: next } }, true), true)}
          <Switching
            label="0.5 leaves it where it is"
            on={push.signed ?? false}
            onChange={(signed) => put({ push: { ...push, signed } })}
          />
        </Way>
      ) : (
        <Add
          mark="add-push"
          says="+ Push along the normals"
          onAdd={() => begin({ push: { by: first, far: size / 20, signed: false } })}
        />
      )}
      {disturb ? (
        <Way title="Disturb by noise" onRemove={() => put({ disturb: null })}>
          <FactorRow
            label="By"
            factor={disturb.by}
            names={names}
            onFactor={(by) => put({ disturb: { ...disturb, by } })}
          />
          {far(disturb.far, (next) => put({ disturb: { ...disturb, far: next } }, true))}
          <Sliding
            label="Waves"
            value={disturb.width}
            min={size / 100}
            max={size * 2}
            step={size / 200}
            digits={size < 10 ? 3 : 1}
            unit={symbol}
            onChange={(width) => put({ disturb: { ...disturb, width } }, true)}
          />
          <Sliding
            label="Drift"
            value={disturb.speed}
            min={0}
            max={4}
            step={0.05}
            digits={2}
            unit="/s"
            onChange={(speed) => put({ disturb: { ...disturb, speed } }, true)}
          />
        </Way>
      ) : (
        <Add
          mark="add-disturb"
          says="+ Disturb by noise"
          onAdd={() => begin({ disturb: { by: first, far: size / 40, width: size / 5, speed: 0.5 } })}
        />
      )}
    </>
  );
}

function Way({ title, onRemove, children }: { title: string; onRemove: () => void; children: React.ReactNode }) {
  return (
    <Box component="section" aria-label={title} sx={{ mt: 0.75 }}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h3" sx={{ flex: 1 }}>
          {title}
        </Typography>
        <Button
          size="small"
          color="inherit"
          aria-label={`Without ${title.toLowerCase()}`}
          onClick={onRemove}
          sx={{ minWidth: 0, py: 0 }}>
          ×
        </Button>
      </Box>
      {children}
    </Box>
  );
}

function Add({ mark, says, onAdd }: { mark: string; says: string; onAdd: () => void }) {
  return (
    <Button size="small" color="secondary" data-test={mark} onClick={onAdd} sx={{ display: "block" }}>
      {says}
    </Button>
  );
}

/** The wind of all parts, or the active part's own. */
function WindRows({ project, part }: { project: Project; part: Part }) {
  const isOwn = useApp((state) => state.proof.stirred.find((own) => own.part === part.id)?.wind != null);
  const wind = useApp((state) => windOf(state, part.id));
  const put = (by: Partial<Schemas["ProofWind"]>) => turnWind(project, isOwn ? part.id : null, { ...wind, ...by });
  return (
    <Box component="section" aria-label="Wind" sx={{ mt: 0.75 }}>
      <Typography variant="h3">{isOwn ? `Wind about ${part.name}` : "Wind, for all parts"}</Typography>
      <Sliding
        label="Wind"
        value={wind.strength}
        min={0}
        max={2}
        step={0.02}
        digits={2}
        onChange={(strength) => put({ strength })}
      />
      <Sliding
        label="Swings"
        value={wind.speed}
        min={0}
        max={5}
        step={0.05}
        digits={2}
        unit="/s"
        onChange={(speed) => put({ speed })}
      />
      <Sliding
        label="Blows to"
        value={wind.direction}
        min={-180}
        max={180}
        step={1}
        unit="°"
        onChange={(direction) => put({ direction })}
      />
      <Sliding
        label="Gusts"
        value={wind.gusts}
        min={0}
        max={1}
        step={0.02}
        digits={2}
        onChange={(gusts) => put({ gusts })}
      />
      <Switching
        label={`${part.name} has a wind of its own`}
        on={isOwn}
        onChange={(own) => void project.edit({ type: "set_wind", wind: own ? wind : null, parts: [part.id] })}
      />
    </Box>
  );
}

/** What the active part follows as a whole. */
function TieRow({ project, part }: { project: Project; part: Part }) {
  const parts = useApp((state) => state.parts);
  const tie = useApp((state) => tieOf(state, part.id));
  const others = parts.filter(({ id }) => id !== part.id);
  if (others.length === 0) return null;
  return (
    <Choose
      label={`${part.name} is tied to`}
      value={String(tie?.to ?? "")}
      options={[["", "nothing"] as const, ...others.map(({ id, name }) => [String(id), name] as const)]}
      onChange={(to) => {
        const surface = to === "" ? undefined : project.stage.surfaces.get(Number(to));
        const own = project.stage.surfaces.get(part.id);
        // It is tied where the other comes nearest to its middle.
        const vertex = surface && own ? surface.nearestVertex(own.bounds.center) : 0;
        void project.edit({ type: "tie_part", part: part.id, tie: surface ? { to: Number(to), vertex } : null });
      }}
    />
  );
}
