// The box that places are told in.
import type { Schemas } from "../../../api/client";
import { Switching } from "../../../widgets/rows";
import type { Part } from "../../../model/state";
import { Vector } from "./rows";

export function BoxField({
  part,
  within,
  onChange,
}: {
  part: Part;
  within: Schemas["SpaceBox"] | null;
  onChange: (within: Schemas["SpaceBox"] | null) => void;
}) {
  /** A corner is taken as long as the box has sides. */
  const put = (next: Schemas["SpaceBox"]) => {
    if ([0, 1, 2].every((i) => (next.low[i] ?? 0) < (next.high[i] ?? 0))) onChange(next);
  };
  return (
    <>
      <Switching
        label="Within the part's own box"
        on={within === null}
        onChange={(own) => onChange(own ? null : { low: part.min, high: part.max })}
      />
      {within && (
        <>
          <Vector label="0 at" value={within.low} onChange={(low) => put({ ...within, low })} />
          <Vector label="1 at" value={within.high} onChange={(high) => put({ ...within, high })} />
        </>
      )}
    </>
  );
}
