// Which other channel.
import type { Schemas } from "../../../api/client";
import { Choose } from "../../../widgets/rows";
import { useApp, type ColorSet, type Part } from "../../../model/state";
import { channelName } from "../../../model/theme";
import type { Source } from "../../../model/sources";

/** The channels of a set that a source may take, with what they hold. */
export const channelOptions = (set: ColorSet | undefined): readonly (readonly [Schemas["Target"], string])[] => [
  ...channelName.map((name, i) => {
    const meaning = set?.channels[i]?.meaning;
    return [name, meaning ? `${name} ${meaning}` : name] as const;
  }),
  ["RGB", "R G B together"],
];

export function ChannelField({
  source,
  part,
  set: own,
  onChange,
}: {
  source: Extract<Source, { kind: "channel" }>;
  part: Part;
  set: ColorSet;
  onChange: (source: Source, turning: boolean) => void;
}) {
  const parts = useApp((state) => state.parts);
  const same = parts.filter((other) => other.mesh === part.mesh);
  const from = same.find((other) => other.name === (source.part ?? part.name)) ?? part;
  return (
    <>
      {same.length > 1 && (
        <Choose
          label="Part"
          value={from.name}
          options={same.map((other) => [other.name, other.name] as const)}
          onChange={(name) => onChange({ ...source, part: name === part.name ? null : name }, false)}
        />
      )}
      <Choose
        label="Set"
        value={from.sets.some((each) => each.name === source.set) ? source.set : ""}
        options={from.sets.map(
          (each) => [each.name, each.id === own.id ? `${each.name} (this one)` : each.name] as const,
        )}
        onChange={(name) => onChange({ ...source, set: name }, false)}
      />
      <Choose
        label="Channel"
        value={source.channel}
        options={channelOptions(from.sets.find((each) => each.name === source.set))}
        onChange={(channel) => onChange({ ...source, channel }, false)}
      />
    </>
  );
}
