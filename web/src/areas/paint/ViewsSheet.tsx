// Looking: snapshots to compare with and return to, saved views, the cutaway, and a pinned picture.
import { Box, Button, IconButton, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import { useRef, useState } from "react";
import { NameDialog } from "../../widgets/NameDialog";
import type { Project } from "../../project/project";
import { get, set, setCutaway, setLook, useApp, snapshotNames } from "../../model/state";
import type { Vec } from "../../model/choices";
import { figure, free, symbols } from "../../model/words";
import { cutawayOf } from "../../project/tools";
import { Sliding, Switching } from "../../widgets/rows";

export function ViewsSheet({ project }: { project: Project }) {
  return (
    <>
      <Snapshots project={project} />
      <Cutaway project={project} />
      <Views project={project} />
      <Pinned />
    </>
  );
}

function Snapshots({ project }: { project: Project }) {
  const parts = useApp((state) => state.parts);
  const wipe = useApp((state) => state.wipe);
  const heat = useApp((state) => state.look.heat);
  const [naming, setNaming] = useState(false);
  const names = snapshotNames(parts);
  const small = { minWidth: 0, px: 0.75, py: 0, fontWeight: 400, fontSize: 12.5 } as const;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Snapshots
        </Typography>
        <Button size="small" color="secondary" data-test="take-snapshot" onClick={() => setNaming(true)}>
          + Take one
        </Button>
      </Box>
      {names.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          A snapshot keeps every set as it is now, to compare with and to return to.
        </Typography>
      )}
      {names.map((name) => {
        const hot = heat !== null && heat !== "density" && heat.snapshot === name;
        return (
          <Box
            key={name}
            data-test="snapshot-row"
            sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 0.5 }}>
            <Typography variant="body2" sx={{ fontWeight: 700 }}>
              {name}
            </Typography>
            <Box sx={{ display: "flex", flexWrap: "wrap" }}>
              <Button
                size="small"
                color={wipe?.snapshot === name ? "primary" : "inherit"}
                aria-pressed={wipe?.snapshot === name}
                onClick={() => set({ wipe: wipe?.snapshot === name ? null : { snapshot: name, share: 0.5 } })}
                sx={small}>
                Wipe
              </Button>
              <Button
                size="small"
                color={hot ? "primary" : "inherit"}
                aria-pressed={hot}
                onClick={() => setLook({ heat: hot ? null : { snapshot: name } })}
                sx={small}>
                Change as heat
              </Button>
              <Button
                size="small"
                color="inherit"
                onClick={() => void project.edit({ type: "restore_snapshot", name })}
                sx={small}>
                Restore
              </Button>
              <Button
                size="small"
                color="inherit"
                onClick={() => void project.edit({ type: "delete_snapshot", name })}
                sx={{ ...small, color: "error.main" }}>
                Delete
              </Button>
            </Box>
          </Box>
        );
      })}
      {names.length > 0 && (
        <Typography variant="caption" color="textSecondary">
          Hold <b>B</b> to flip to it and back.
        </Typography>
      )}
      {naming && (
        <NameDialog
          title="Take a snapshot"
          name={free("Snapshot", names)}
          act="Take it"
          onName={(name) => project.attempt({ type: "take_snapshot", name })}
          onClose={() => setNaming(false)}
        />
      )}
    </>
  );
}

function Cutaway({ project }: { project: Project }) {
  const cutaway = useApp((state) => state.cutaway);
  const symbol = useApp((state) => symbols[state.traits.unit]);
  const [low, high] = project.stage.extent(cutaway.normal);
  const way = (["x", "y", "z"] as const).find((_, i) => cutaway.normal[i] === 1) ?? "view";
  const choose = (next: "x" | "y" | "z" | "view" | null) => {
    if (!next) {
      setCutaway({ on: false });
      return;
    }
    const forward = project.stage.eye.view().forward;
    const normal: Vec =
      next === "view"
        ? (forward.map((x) => -x) as Vec)
        : ([Number(next === "x"), Number(next === "y"), Number(next === "z")] as Vec);
    // The plane of last time comes back where it was; another one starts in the middle.
    const isSame = next !== "view" && next === way;
    const [from, to] = project.stage.extent(normal);
    setCutaway(isSame && cutaway.placed ? { on: true } : { on: true, normal, offset: (from + to) / 2, placed: true });
  };
  const digits = high - low < 10 ? 3 : 1;
  return (
    <Box sx={{ mt: 1.5 }}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Cutaway
        </Typography>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={cutaway.on ? way : null}
          onChange={(_, next: "x" | "y" | "z" | "view" | null) => choose(next)}
          aria-label="Cut open along"
          sx={{ "& button": { py: 0, px: 1.25, textTransform: "none" } }}>
          {(["x", "y", "z"] as const).map((axis) => (
            <ToggleButton key={axis} value={axis} data-test={`cut-${axis}`}>
              {axis.toUpperCase()}
            </ToggleButton>
          ))}
          <ToggleButton value="view" data-test="cut-view">
            view
          </ToggleButton>
        </ToggleButtonGroup>
      </Box>
      {cutaway.on ? (
        <>
          <Sliding
            label="Place"
            value={cutaway.offset}
            min={low}
            max={high}
            step={(high - low) / 400}
            unit={symbol}
            digits={digits}
            onChange={(offset) => setCutaway({ offset })}
          />
          <Box sx={{ display: "flex", alignItems: "center" }}>
            <Box sx={{ flex: 1 }}>
              <Switching
                label="Deep tools reach what is cut"
                on={cutaway.covers_hidden}
                onChange={(covers_hidden) => setCutaway({ covers_hidden })}
              />
            </Box>
            <Button
              size="small"
              color="inherit"
              onClick={() => setCutaway({ normal: cutaway.normal.map((x) => -x) as Vec, offset: -cutaway.offset })}>
              Other side
            </Button>
          </Box>
          <Typography variant="caption" color="textSecondary">
            What it hides is neither seen nor painted. Drag its knob on the stage.
          </Typography>
        </>
      ) : (
        <Typography variant="body2" color="textSecondary">
          Hides what is in front of a plane, so that insides can be reached.
        </Typography>
      )}
    </Box>
  );
}

function Views({ project }: { project: Project }) {
  const views = useApp((state) => state.views);
  const [naming, setNaming] = useState(false);
  const save = (name: string) =>
    project.attempt({
      type: "set_views",
      views: [
        ...views.filter((view) => view.name !== name),
        { name, ...project.stage.eye.pose(), cutaway: cutawayOf(get()) },
      ],
    });
  const go = (name: string) => {
    const view = views.find((each) => each.name === name);
    if (!view) return;
    setLook({ parallel: view.parallel_height != null });
    const { cutaway } = view;
    setCutaway(
      cutaway
        ? {
            on: true,
            placed: true,
            normal: cutaway.normal as Vec,
            offset: cutaway.offset,
            covers_hidden: cutaway.covers_hidden ?? false,
          }
        : { on: false },
    );
    project.stage.eye.goTo(view);
  };
  return (
    <Box sx={{ mt: 1.5 }}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Saved views
        </Typography>
        <Button size="small" color="secondary" data-test="save-view" onClick={() => setNaming(true)}>
          + Save this one
        </Button>
      </Box>
      {views.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          Where the camera stands, with its cutaway.
        </Typography>
      )}
      {views.map((view) => (
        <Box
          key={view.name}
          sx={{
            display: "flex",
            alignItems: "center",
            borderTop: 1,
            borderColor: "divider",
            borderTopStyle: "dashed",
          }}>
          <Button
            size="small"
            color="inherit"
            data-test="view"
            onClick={() => go(view.name)}
            sx={{ flex: 1, justifyContent: "flex-start", fontWeight: 400 }}>
            {view.name}
            {view.cutaway ? `, cut at ${figure(view.cutaway.offset)}` : ""}
          </Button>
          <IconButton
            size="small"
            aria-label={`Delete the view ${view.name}`}
            onClick={() =>
              void project.edit({ type: "set_views", views: views.filter((each) => each.name !== view.name) })
            }
            sx={{ fontSize: 16 }}>
            ×
          </IconButton>
        </Box>
      ))}
      {naming && (
        <NameDialog
          title="Save this view"
          name={free(
            "View",
            views.map((view) => view.name),
          )}
          act="Save"
          onName={save}
          onClose={() => setNaming(false)}
        />
      )}
    </Box>
  );
}

function Pinned() {
  const pinned = useApp((state) => state.pinned);
  const picker = useRef<HTMLInputElement>(null);
  const take = (file: File | undefined) => {
    if (picker.current) picker.current.value = "";
    if (!file) return;
    const url = URL.createObjectURL(file);
    const image = new Image();
    image.onload = () => {
      if (pinned) URL.revokeObjectURL(pinned.url);
      set({ pinned: { url, name: file.name } });
    };
    image.onerror = () => {
      URL.revokeObjectURL(url);
      set({ said: { text: `${file.name} is no picture that can be shown: choose a PNG, JPEG or WebP.`, bad: true } });
    };
    image.src = url;
  };
  return (
    <Box sx={{ mt: 1.5, display: "flex", alignItems: "center" }}>
      <Typography variant="h2" sx={{ flex: 1 }}>
        Pinned picture
      </Typography>
      <Button size="small" color="secondary" onClick={() => picker.current?.click()}>
        {pinned ? "Another…" : "+ Pin one"}
      </Button>
      <input
        ref={picker}
        type="file"
        accept="image/*"
        hidden
        data-test="pin-file"
        onChange={(event) => take(event.target.files?.[0])}
      />
    </Box>
  );
}
