// More volumes like one, in a row or about the part.
import { Button } from "@mui/material";
import { useState } from "react";
import { activePart, useApp } from "../../model/state";
import type { Vec } from "../../model/choices";
import { symbols } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose, Row, Sliding } from "../../widgets/rows";
import { inRow, put, type Volume } from "./volumesInHand";

export function VolumesInRow({ volume, project }: { volume: Volume; project: Project }) {
  const part = useApp(activePart);
  const volumes = useApp((state) => state.volumes);
  const unit = useApp((state) => symbols[state.traits.unit]);
  const [kind, setKind] = useState<"none" | "row" | "ring">("none");
  const [several, setSeveral] = useState(4);
  const [scaleX = 1] = volume.transform.scale ?? [];
  const [step, setStep] = useState<Vec>([3 * Math.abs(scaleX), 0, 0]);
  if (!part) return null;
  return (
    <>
      <Choose
        label="More of it"
        value={kind}
        options={[
          ["none", "one alone"],
          ["row", "in a row"],
          ["ring", `around ${part.name}`],
        ]}
        onChange={setKind}
      />
      {kind !== "none" && (
        <>
          <Sliding
            label="How many"
            value={several}
            min={2}
            max={64}
            step={1}
            onChange={(n) => setSeveral(Math.round(n))}
          />
          {kind === "row" &&
            (["X", "Y", "Z"] as const).map((axis, i) => (
              <Row key={axis} label={`Along ${axis}, ${unit}`}>
                <Sliding
                  label=""
                  value={step[i] ?? 0}
                  min={-100 * Math.abs(scaleX)}
                  max={100 * Math.abs(scaleX)}
                  step={0.1 * Math.abs(scaleX)}
                  digits={2}
                  onChange={(value) => setStep(step.map((own, k) => (k === i ? value : own)) as Vec)}
                />
              </Row>
            ))}
          <Button
            size="small"
            color="secondary"
            data-test="set-in-row"
            onClick={() => {
              setKind("none");
              void put(project, [...volumes, ...inRow(volume, part, { kind, count: several, step })]);
            }}>
            Set {several - 1} more
          </Button>
        </>
      )}
    </>
  );
}
