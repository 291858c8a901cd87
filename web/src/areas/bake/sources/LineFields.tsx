// A line that is drawn on the surface, and what is told of it.
import { Button, Typography } from "@mui/material";
import { useEffect, useRef } from "react";
import { Choose, Row, Switching } from "../../../widgets/rows";
import { facts, set, useApp } from "../../../model/state";
import type { Source } from "../../../model/sources";
import { useRows, type FieldsProps, type Vec } from "./rows";

type Line = Extract<Source, { kind: "line" }>;

export function LineFields({ source, part, onChange }: FieldsProps & { source: Line }) {
  const { put, length } = useRows(part, onChange);
  const placing = useApp((state) => state.placing);
  // Places are clicked later, one after another: each goes to the line as it is then.
  const latest = useRef({ source, put });
  useEffect(() => {
    latest.current = { source, put };
  });
  const take = (at: Vec) => {
    const { source: line, put: to } = latest.current;
    if (line.points.length < facts().limits.line_points) to({ ...line, points: [...line.points, at] });
  };
  const { points } = source;
  return (
    <>
      <Row label="Points">
        <Typography variant="body2" sx={{ fontWeight: 650 }} data-test="line-points">
          {points.length}
        </Typography>
        <Button
          size="small"
          color="inherit"
          disabled={points.length === 0}
          onClick={() => put({ ...source, points: points.slice(0, -1) })}
          sx={{ minWidth: 0 }}>
          Last away
        </Button>
        <Button
          size="small"
          color="inherit"
          disabled={points.length === 0}
          onClick={() => put({ ...source, points: [] })}
          sx={{ minWidth: 0 }}>
          All away
        </Button>
      </Row>
      <Button
        size="small"
        color="secondary"
        aria-pressed={placing !== null}
        data-test="draw-line"
        onClick={() =>
          set({ placing: placing ? null : { says: "Click one point after another", take, isMany: true } })
        }>
        {placing ? "Done (Esc)" : points.length > 0 ? "Draw on" : "Draw it on the stage"}
      </Button>
      {points.length < 2 && (
        <Typography variant="caption" sx={{ color: "warning.main", display: "block" }}>
          It takes two points or more: between them it goes straight, on the surface.
        </Typography>
      )}
      <Choose
        label="Tells"
        value={source.tells ?? "distance"}
        options={[
          ["distance", "how far it is"],
          ["progress", "how far along it"],
        ]}
        onChange={(tells) => put({ ...source, tells })}
      />
      {length(source.tells === "progress" ? "Up to" : "1 from", source.reach, 1, "the far end", (reach) => ({
        ...source,
        reach,
      }))}
      <Switching
        label="Back to its first point"
        on={source.closed ?? false}
        onChange={(closed) => put({ ...source, closed })}
      />
    </>
  );
}
