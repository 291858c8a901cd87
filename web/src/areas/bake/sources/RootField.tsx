// From where a source measures.
import { Button, Typography } from "@mui/material";
import { useEffect, useRef } from "react";
import { Choose } from "../../../widgets/rows";
import { set, useApp, type Part } from "../../../model/state";
import type { Root } from "../../../model/sources";
import { DirectionField, Vector } from "./rows";
import { SelectionField, selections } from "./SelectionField";

export function RootField({
  root,
  part,
  ofTrail,
  onChange,
}: {
  root: Root;
  part: Part;
  ofTrail: boolean;
  onChange: (root: Root) => void;
}) {
  const parts = useApp((state) => state.parts);
  const placing = useApp((state) => state.placing);
  // A place is clicked later: by then the recipe may be another.
  const latest = useRef(onChange);
  useEffect(() => {
    latest.current = onChange;
  });
  const names = selections(part);
  const others = parts.filter((each) => each.id !== part.id).map((each) => each.name);
  const options: [Root["kind"], string][] = [
    ["end", "an end of the part"],
    ["point", "a point on it"],
    ["open_edge", "its open edge"],
    ["selection", "a selection"],
    ["part", ofTrail ? "where another part touches" : "another part"],
  ];
  const starts: Record<Root["kind"], Root> = {
    end: { kind: "end", towards: "down" },
    point: { kind: "point", at: [0, 1, 2].map((i) => ((part.min[i] ?? 0) + (part.max[i] ?? 0)) / 2) },
    open_edge: { kind: "open_edge" },
    selection: { kind: "selection", name: names[0] ?? "" },
    part: { kind: "part", name: others[0] ?? "" },
  };
  return (
    <>
      <Choose label="From" value={root.kind} options={options} onChange={(kind) => onChange(starts[kind])} />
      {root.kind === "end" && (
        <DirectionField
          label="The end"
          direction={root.towards}
          onChange={(towards) => onChange({ kind: "end", towards })}
        />
      )}
      {root.kind === "point" && (
        <>
          <Vector label="The point" value={root.at} onChange={(at) => onChange({ kind: "point", at })} />
          <Button
            size="small"
            color="secondary"
            aria-pressed={placing !== null}
            data-test="place-root"
            onClick={() =>
              set({
                placing: placing
                  ? null
                  : { says: "Click where it starts", take: (at) => latest.current({ kind: "point", at }) },
              })
            }>
            {placing ? "Click on the stage… (Esc)" : "Take it from the stage"}
          </Button>
        </>
      )}
      {root.kind === "selection" && (
        <SelectionField
          label="Selection"
          part={part}
          value={root.name}
          onChange={(name) => onChange({ kind: "selection", name: name ?? "" })}
        />
      )}
      {root.kind === "part" &&
        (others.length > 0 ? (
          <Choose
            label="Part"
            value={others.includes(root.name) ? root.name : ""}
            options={others.map((name) => [name, name] as const)}
            onChange={(name) => onChange({ kind: "part", name })}
          />
        ) : (
          <Typography variant="caption" sx={{ color: "warning.main" }}>
            There is no other part in this project.
          </Typography>
        ))}
    </>
  );
}
