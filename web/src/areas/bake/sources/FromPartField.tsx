// Which channel of which other part, and how places on it are found.
import { Typography } from "@mui/material";
import { useApp, type Part } from "../../../model/state";
import type { Source } from "../../../model/sources";
import { alongWords } from "../../../model/words";
import { Choose, Sliding } from "../../../widgets/rows";
import { channelOptions } from "./ChannelField";
import { useRows } from "./rows";

export function FromPartField({
  source,
  part,
  onChange,
}: {
  source: Extract<Source, { kind: "from_part" }>;
  part: Part;
  onChange: (source: Source, turning: boolean) => void;
}) {
  const parts = useApp((state) => state.parts);
  const { length } = useRows(part, onChange);
  const others = parts.filter((other) => other.id !== part.id && other.sets.length > 0);
  const from = others.find((other) => other.name === source.part);
  if (others.length === 0)
    return (
      <Typography variant="caption" sx={{ color: "warning.main" }}>
        There is no other part with a set in this project.
      </Typography>
    );
  const put = (next: Source) => onChange(next, false);
  const set = from?.sets.find((each) => each.name === source.set);
  return (
    <>
      <Choose
        label="Part"
        value={from?.name ?? ""}
        options={others.map((other) => [other.name, other.name] as const)}
        onChange={(name) => {
          const next = others.find((other) => other.name === name);
          const same = next?.sets.find((each) => each.name === source.set) ?? next?.sets[0];
          put({ ...source, part: name, set: same?.name ?? "" });
        }}
      />
      <Choose
        label="Set"
        value={set?.name ?? ""}
        options={(from?.sets ?? []).map((each) => [each.name, each.name] as const)}
        onChange={(name) => put({ ...source, set: name })}
      />
      <Choose
        label="Channel"
        value={source.channel === "RGBA" ? "RGB" : source.channel}
        options={channelOptions(set)}
        onChange={(channel) => put({ ...source, channel })}
      />
      <Choose
        label="Place by"
        value={source.along ?? "nearest"}
        options={alongWords}
        onChange={(along) => put({ ...source, along })}
      />
      {length("Within", source.within, 0.5, "measured", (within) => ({ ...source, within }))}
      <Sliding
        label="Angle up to"
        value={source.angle ?? 90}
        min={5}
        max={180}
        step={5}
        unit="°"
        onChange={(angle) => onChange({ ...source, angle }, true)}
      />
    </>
  );
}
