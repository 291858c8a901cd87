// A map: channels of sets rendered into an image, by UVs or as seen along an axis.
import { Alert, Box, Button } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { renderMap } from "../../api/writes";
import { toBrowser } from "../../widgets/handOver";
import { Choose } from "../../widgets/rows";
import { useApp } from "../../model/state";
import { bytes } from "../../model/words";
import { channelName } from "../../model/theme";

type MapChannel = Schemas["MapChannel"];

const sizes = ["256", "512", "1024", "2048", "4096"] as const;
const paddings = ["0", "2", "4", "8", "16", "32"] as const;
const files = [
  ["png8", "PNG, 8 bits"],
  ["png16", "PNG, 16 bits"],
  ["exr", "EXR, floats"],
] as const;
const axes: Record<string, { title: string; direction: [number, number, number]; up: [number, number, number] }> = {
  "-y": { title: "down along −Y", direction: [0, -1, 0], up: [0, 0, -1] },
  "+y": { title: "up along +Y", direction: [0, 1, 0], up: [0, 0, 1] },
  "-z": { title: "along −Z", direction: [0, 0, -1], up: [0, 1, 0] },
  "+z": { title: "along +Z", direction: [0, 0, 1], up: [0, 1, 0] },
  "-x": { title: "along −X", direction: [-1, 0, 0], up: [0, 1, 0] },
  "+x": { title: "along +X", direction: [1, 0, 0], up: [0, 1, 0] },
};

/** A channel as a key of a list, and back. */
const keyOf = (channel: MapChannel) => JSON.stringify(channel);

export function MapFields({ project }: { project: number }) {
  const parts = useApp((state) => state.parts);
  const images = useApp((state) => state.images);
  const sets = [...new Map(parts.flatMap((part) => part.sets.map((each) => [each.name, each] as const))).values()];
  const uvSets = Math.max(0, ...parts.map((part) => part.uv_sets));
  const first = sets[0];
  const start = (i: number): MapChannel =>
    first && i < 3 ? { from: "set", set: first.name, channel: i, invert: false } : { from: "constant", value: 1 };
  const [channels, setChannels] = useState<MapChannel[]>([0, 1, 2, 3].map(start));
  const [lay, setLay] = useState(uvSets > 0 ? "uv0" : "-y");
  const [size, setSize] = useState<(typeof sizes)[number]>("1024");
  const [padding, setPadding] = useState<(typeof paddings)[number]>("8");
  const [file, setFile] = useState<(typeof files)[number][0]>("png8");
  const [busy, setBusy] = useState(false);
  const [handed, setHanded] = useState<string | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);

  const choices: (readonly [string, string])[] = [
    ...sets.flatMap((each) =>
      channelName.flatMap((letter, channel) => {
        const meaning = each.channels[channel]?.meaning;
        const title = `${each.name} · ${letter}${meaning ? ` ${meaning}` : ""}`;
        return [
          [keyOf({ from: "set", set: each.name, channel, invert: false }), title],
          [keyOf({ from: "set", set: each.name, channel, invert: true }), `1 − ${title}`],
        ] as const;
      }),
    ),
    ...images.flatMap((image) =>
      channelName.map(
        (letter, channel) =>
          [keyOf({ from: "kept", image: image.name, channel }), `kept from ${image.name} · ${letter}`] as const,
      ),
    ),
    [keyOf({ from: "constant", value: 0 }), "0"],
    [keyOf({ from: "constant", value: 0.5 }), "0.5"],
    [keyOf({ from: "constant", value: 1 }), "1"],
    [keyOf({ from: "covered" }), "1 where something is drawn"],
  ];
  const lays: (readonly [string, string])[] = [
    ...Array.from({ length: uvSets }, (_, i) => [`uv${i}`, i === 0 ? "by its UVs" : `by UV set ${i + 1}`] as const),
    ...Object.entries(axes).map(([key, { title }]) => [key, title] as const),
  ];
  const write = async () => {
    setBusy(true);
    setHanded(null);
    setTrouble(null);
    const axis = axes[lay];
    const plan = {
      width: Number(size),
      height: Number(size),
      padding: Number(padding),
      samples: 2,
      channels,
      lay: axis
        ? { kind: "along", direction: axis.direction, up: axis.up }
        : { kind: "uv", uv_set: Number(lay.slice(2)) },
    };
    const { data, trouble } = await toBrowser(await renderMap(project, file, plan), "map.png");
    setBusy(false);
    setTrouble(trouble);
    setHanded(data && `${data.file}, ${bytes(data.bytes)}`);
  };
  return (
    <Box data-test="map">
      {channelName.map((letter, i) => (
        <Choose
          key={letter}
          label={`${letter} holds`}
          value={keyOf(channels[i] ?? start(i))}
          options={choices}
          onChange={(key) => setChannels(channels.map((old, k) => (k === i ? (JSON.parse(key) as MapChannel) : old)))}
        />
      ))}
      <Choose label="Laid" value={lay} options={lays} onChange={setLay} />
      <Choose
        label="Side"
        value={size}
        options={sizes.map((each) => [each, `${each} pixels`] as const)}
        onChange={setSize}
      />
      <Choose
        label="Drawn out by"
        value={padding}
        options={paddings.map((each) => [each, each === "0" ? "nothing" : `${each} pixels`] as const)}
        onChange={setPadding}
      />
      <Choose label="File" value={file} options={files} onChange={setFile} />
      <Button
        variant="outlined"
        color="secondary"
        fullWidth
        onClick={() => void write()}
        loading={busy}
        disabled={sets.length === 0}
        data-test="write-map"
        sx={{ mt: 1, bgcolor: "background.paper" }}>
        Send the map
      </Button>
      {handed && (
        <Alert severity="success" sx={{ mt: 1 }} data-test="map-handed">
          {handed}, was handed to your browser.
        </Alert>
      )}
      {trouble && (
        <Alert severity="error" sx={{ mt: 1 }} data-test="map-trouble">
          {trouble}
        </Alert>
      )}
    </Box>
  );
}
