// What programs are told of pieces.
import { Choose, Switching } from "../../../widgets/rows";
import { BoxField } from "./BoxField";
import { DirectionField, ForEach, useRows, type FieldsProps } from "./rows";

export function PieceFields({ source, part, onChange }: FieldsProps) {
  const { put } = useRows(part, onChange);
  switch (source.kind) {
    case "pivot":
      return (
        <>
          <ForEach by={source.by} onChange={(by) => put({ ...source, by })} />
          <Switching
            label="In its middle"
            on={source.end == null}
            onChange={(middle) => put({ ...source, end: middle ? null : "down" })}
          />
          {source.end != null && (
            <DirectionField label="At its end" direction={source.end} onChange={(end) => put({ ...source, end })} />
          )}
          <BoxField part={part} within={source.within ?? null} onChange={(within) => put({ ...source, within })} />
        </>
      );
    case "piece_number":
      return (
        <>
          <ForEach by={source.by} onChange={(by) => put({ ...source, by })} />
          <Choose
            label="Held in"
            value={source.bits === 16 ? "16" : "8"}
            options={[
              ["8", "8 bits: one channel"],
              ["16", "16 bits: a byte in each of two"],
            ]}
            onChange={(bits) => put({ ...source, bits: Number(bits) })}
          />
        </>
      );
    default:
      return null;
  }
}
