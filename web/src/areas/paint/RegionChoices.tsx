// The finer choices of pours and spans.
import { Box, Button, TextField, Typography } from "@mui/material";
import type { Project } from "../../project/project";
import { activePart, intoSet, set, setSpan, useApp } from "../../model/state";
import type { Vec } from "../../model/choices";
import { addsWords, elements, symbols } from "../../model/words";
import { boxOf, canBeCrisp, pourCanBeCrisp } from "../../project/tools";
import { Choose, Switching } from "../../widgets/rows";
import { numberIn } from "../../widgets/typed";

/** How much finer the mesh becomes by it. */
function Adds() {
  const ahead = useApp((state) => state.ahead);
  if (ahead === null) return null;
  return (
    <>
      {" "}
      and <b>{addsWords(ahead)}</b>
    </>
  );
}

export function Covers() {
  const covered = useApp((state) => state.covered);
  const target = useApp(intoSet);
  return (
    <Typography variant="body2" data-test="pour-covers" aria-live="polite" sx={{ mb: 1 }}>
      {covered > 0 && target ? (
        <>
          A click here covers <b>{elements(covered, target.placement)}</b>
          <Adds />.
        </>
      ) : (
        "Point at the model to see what a click would cover."
      )}
    </Typography>
  );
}

export function PourChoices() {
  const part = useApp(activePart);
  const pour = useApp((state) => state.pour);
  const canBeCrisp = useApp(pourCanBeCrisp);
  return (
    <>
      {pour.kind === "crease" && part && (
        <Box sx={{ display: "flex", alignItems: "center", mb: 1 }}>
          <Typography variant="body2" sx={{ flex: 1 }}>
            {pour.degrees === null || pour.degrees === part.crease ? (
              <>{part.crease}° lies between this part&rsquo;s smooth and sharp edges.</>
            ) : (
              <>This part&rsquo;s own bends suggest {part.crease}°.</>
            )}
          </Typography>
          {pour.degrees !== null && pour.degrees !== part.crease && (
            <Button size="small" color="secondary" onClick={() => set({ pour: { ...pour, degrees: null } })}>
              Take it
            </Button>
          )}
        </Box>
      )}
      {canBeCrisp && (
        <Switching
          label="Crisp border: cut faces beside it"
          on={pour.crisp}
          onChange={(crisp) => set({ pour: { ...pour, crisp } })}
        />
      )}
      <Covers />
    </>
  );
}

export function SpanChoices({ project }: { project: Project | null }) {
  const span = useApp((state) => state.span);
  const covered = useApp((state) => state.covered);
  const ready = useApp((state) => state.spanReady);
  const target = useApp(intoSet);
  const action = useApp((state) => state.action);
  const show = () => {
    set({ spanReady: true });
    project?.hoverFill(null);
  };
  return (
    <>
      {(span.kind === "band" || span.kind === "gradient") && (
        <Choose
          label="Runs along"
          value={span.axis}
          options={[
            ["x", "X"],
            ["y", "Y"],
            ["z", "Z"],
            ["drawn", "the line I draw"],
          ]}
          onChange={(axis) => setSpan({ axis, from: null, to: null })}
        />
      )}
      {span.kind === "solid" && <SolidNumbers />}
      {span.kind === "lasso" && (
        <>
          <Choose
            label="Outline"
            value={span.outline}
            options={[
              ["free", "drawn freely"],
              ["rectangle", "a rectangle"],
            ]}
            onChange={(outline) => setSpan({ outline })}
          />
          <Choose
            label="Reaches"
            value={span.through ? "through" : "seen"}
            options={[
              ["seen", "what is seen"],
              ["through", "through, hidden too"],
            ]}
            onChange={(key) => setSpan({ through: key === "through" })}
          />
        </>
      )}
      {span.kind !== "gradient" && (
        <Switching
          label={canBeCrisp(span) ? "Crisp border: cut faces along it" : "Crisp border: needs a hard edge"}
          on={span.crisp && canBeCrisp(span)}
          disabled={!canBeCrisp(span)}
          onChange={(crisp) => setSpan({ crisp })}
        />
      )}
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, my: 1 }} data-test="span-covers">
        {ready && target ? (
          <>
            <Typography variant="body2" sx={{ flex: 1 }}>
              Covers <b>{elements(covered, target.placement)}</b>
              <Adds />.
            </Typography>
            <Button
              size="small"
              variant="contained"
              disabled={covered === 0 && !(span.crisp && canBeCrisp(span))}
              onClick={() => void project?.fill(null)}>
              {action === "erase" ? "Erase it" : "Lay it on"}
            </Button>
          </>
        ) : span.kind === "lasso" ? (
          <Typography variant="body2">Draw an outline to see what it covers.</Typography>
        ) : (
          <Button size="small" variant="outlined" color="inherit" data-test="show-span" onClick={show}>
            Show what these numbers cover
          </Button>
        )}
      </Box>
    </>
  );
}

function SolidNumbers() {
  const span = useApp((state) => state.span);
  const part = useApp(activePart);
  const symbol = useApp((state) => symbols[state.traits.unit]);
  if (!part) return null;
  const center = span.center ?? boxOf(part).center;
  const put = (key: "center" | "size" | "turn", now: Vec, axis: number, number: number) => {
    if (!Number.isFinite(number) || (key === "size" && number <= 0)) return;
    const next = now.map((old, i) => (i === axis ? number : old)) as Vec;
    setSpan(key === "center" ? { center: next } : key === "size" ? { size: next } : { turn: next });
    set({ spanReady: true });
  };
  const row = (label: string, key: "center" | "size" | "turn", now: Vec, unit: string) => (
    <Box sx={{ display: "grid", gridTemplateColumns: "78px repeat(3, 1fr)", gap: 0.5, alignItems: "center", mb: 0.5 }}>
      <Typography variant="body2" color="textSecondary">
        {label}, {unit}
      </Typography>
      {["X", "Y", "Z"].map((name, i) => (
        <TextField
          key={name}
          size="small"
          defaultValue={(now[i] ?? 0).toFixed(2)}
          slotProps={{
            htmlInput: {
              "aria-label": `${label} ${name}`,
              inputMode: "decimal",
              style: { padding: "4px 6px", fontSize: 13 },
            },
          }}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter") (event.target as HTMLElement).blur();
          }}
          onBlur={(event) => {
            if (event.target.value !== (now[i] ?? 0).toFixed(2)) put(key, now, i, numberIn(event.target.value));
          }}
        />
      ))}
    </Box>
  );
  const key = JSON.stringify([center, span.size, span.turn]);
  return (
    <Box key={key}>
      <Choose
        label="Shape"
        value={span.shape}
        options={[
          ["sphere", "sphere"],
          ["box", "box"],
          ["cylinder", "cylinder"],
          ["cone", "cone"],
        ]}
        onChange={(shape) => setSpan({ shape })}
      />
      {row("Middle", "center", center, symbol)}
      {row("Size", "size", span.size, symbol)}
      {row("Turn", "turn", span.turn, "°")}
    </Box>
  );
}
