// How a recipient wants it: format, precision, sets and their order, unit, axis, and what else.
import { Box, Checkbox, IconButton, InputBase, Typography } from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { DownIcon } from "../../widgets/icons";
import { Choose, Row, Switching } from "../../widgets/rows";
import { facts, useApp } from "../../model/state";
import { unitWord, units } from "../../model/units";
import { turn, type Recipient } from "./delivery";
import { calledIn } from "./loaded";
import { useTyped } from "../../widgets/typed";

const depthWords: Record<Schemas["Depth"], string> = {
  usual: "as usual",
  bits8: "8 bits",
  bits16: "16 bits",
  float: "32-bit floats",
};
const lightWords: Record<Schemas["Light"], string> = { encoded: "sRGB-encoded", linear: "linear light" };
const dataWords = [
  ["as_colors", "COLOR_n, behind colors"],
  ["behind_white", "behind white"],
  ["named", "by their own names"],
] as const;
const vertexWords = [
  ["as_they_are", "as they are"],
  ["joined", "joined where they meet"],
  ["split", "one for every corner"],
] as const;
const looks = [
  ["channels", "the channels alone"],
  ["color", "color, flat"],
  ["lit", "color, lit"],
  ["checker", "alpha over a checker"],
] as const;
const bodyWords = [
  ["little", "binary"],
  ["big", "binary, big end first"],
  ["ascii", "text"],
] as const;

export function HowFields({ recipient, formats }: { recipient: Recipient; formats: Schemas["Abilities"][] }) {
  const able = formats.find((each) => each.format === recipient.format);
  if (!able) return null;
  const isGltf = able.format === "glb" || able.format === "gltf";
  const depths = [
    ["usual", `as usual: ${depthWords[able.depths[0] ?? "float"]}`] as const,
    ...able.depths.map((depth) => [depth, depthWords[depth]] as const),
  ];
  const lights = [
    ["usual", `as usual: ${lightWords[able.lights[0] ?? "encoded"]}`] as const,
    ...able.lights.slice(1).map((light) => [light, lightWords[light]] as const),
  ];
  return (
    <Box data-test="how">
      <Choose
        label="Format"
        value={recipient.format}
        options={formats.map((each) => [each.format, `${each.title} (.${each.extension})`] as const)}
        onChange={(format) => turn({ format, depth: "usual", light: null, body: "little" })}
      />
      <Typography variant="caption" color="textSecondary" component="p" sx={{ pb: 0.75 }}>
        {able.says}
      </Typography>
      {able.depths.length > 1 && (
        <Choose label="Numbers" value={recipient.depth} options={depths} onChange={(depth) => turn({ depth })} />
      )}
      {able.lights.length > 1 && (
        <Choose
          label="Colors as"
          value={recipient.light ?? "usual"}
          options={lights}
          onChange={(light) => turn({ light: light === "usual" ? null : light })}
        />
      )}
      {able.bodies && (
        <Choose
          label="Written as"
          value={recipient.body}
          options={able.format === "ply" ? bodyWords : bodyWords.filter(([key]) => key !== "big")}
          onChange={(body) => turn({ body })}
        />
      )}
      {isGltf && (
        <Choose label="Data sets" value={recipient.data} options={dataWords} onChange={(data) => turn({ data })} />
      )}
      {able.swatches && (
        <>
          <Choose
            label="Color goes as"
            value={recipient.spools > 0 ? "spools" : "smooth"}
            options={
              [
                ["smooth", able.sets === "none" ? "nothing, the shape alone" : "smooth color"],
                ["spools", able.file_per_swatch ? "a file for each swatch" : "swatches, a spool each"],
              ] as const
            }
            onChange={(how) => turn({ spools: how === "spools" ? 4 : 0 })}
          />
          {recipient.spools > 0 && (
            <Typed
              label="Spools loaded"
              value={recipient.spools}
              accept={(number) => turn({ spools: Math.min(facts().limits.spools, Math.max(1, Math.round(number))) })}
            />
          )}
          {recipient.spools > 0 && able.file_per_swatch && (
            <Choose
              label="Each file holds"
              value={recipient.bodies ? "bodies" : "skins"}
              options={
                [
                  ["skins", "skins, open where colors meet"],
                  ["bodies", "closed bodies, capped"],
                ] as const
              }
              onChange={(how) => turn({ bodies: how === "bodies" })}
            />
          )}
        </>
      )}
      {(able.sets !== "none" || recipient.spools > 0) && <Sets recipient={recipient} />}
      <Choose
        label="Vertices"
        value={recipient.vertices}
        options={vertexWords}
        onChange={(vertices) => turn({ vertices })}
      />
      <Choose
        label="One step is"
        value={recipient.unit ?? "own"}
        options={[
          ["own", "as in the project"] as const,
          ...units.map((unit) => [unit, `a ${unitWord(unit)}`] as const),
        ]}
        onChange={(unit) => turn({ unit: unit === "own" ? null : unit })}
      />
      <Choose
        label="Up is"
        value={recipient.up ?? "own"}
        options={
          [
            ["own", "as in the project"],
            ["y", "+Y"],
            ["z", "+Z"],
          ] as const
        }
        onChange={(up) => turn({ up: up === "own" ? null : up })}
      />
      <Typed label="Lengths times" value={recipient.scale} accept={(scale) => scale > 0 && turn({ scale })} />
      <Box sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", pt: 0.5 }}>
        {able.alpha && able.sets !== "none" && !(able.swatches && recipient.spools > 0) && (
          <Switching label="Alpha goes along" on={recipient.alpha} onChange={(alpha) => turn({ alpha })} />
        )}
        {able.materials && (
          <Switching
            label="Materials and their images go along"
            on={recipient.materials}
            onChange={(materials) => turn({ materials })}
          />
        )}
        {able.polygons && (
          <Switching
            label="Cut polygons into triangles"
            on={recipient.triangulate}
            onChange={(triangulate) => turn({ triangulate })}
          />
        )}
        {able.parts && (
          <Switching
            label="Places of parts in their points"
            on={recipient.apply_transforms}
            onChange={(apply_transforms) => turn({ apply_transforms })}
          />
        )}
        <Switching
          label="Plain names: A–Z, digits and _"
          on={recipient.plain_names}
          onChange={(plain_names) => turn({ plain_names })}
        />
        <Switching
          label="Hidden parts stay at home"
          on={recipient.visible_only}
          onChange={(visible_only) => turn({ visible_only })}
        />
        <Switching
          label="One file for each part"
          on={recipient.file_per_part}
          onChange={(file_per_part) => turn({ file_per_part })}
        />
        <Switching label="The channel note beside it" on={recipient.note} onChange={(note) => turn({ note })} />
        <Switching label="Shader code beside it" on={recipient.shaders} onChange={(shaders) => turn({ shaders })} />
        {recipient.shaders && <Look recipient={recipient} />}
      </Box>
    </Box>
  );
}

/** What the shader code shows beside the channels: a look of the stage, or one channel. */
function Look({ recipient }: { recipient: Recipient }) {
  const parts = useApp((state) => state.parts);
  const sets = [
    ...new Map(parts.flatMap((part) => part.sets).map((each) => [calledIn(recipient, each.name), each])).entries(),
  ];
  const { look } = recipient;
  const alone = sets.flatMap(([name, each]) =>
    each.channels.map((channel, i) => [`${i} ${name}`, `${name} · ${"RGBA"[i]} ${channel.meaning}`.trim()] as const),
  );
  // A set that is gone has no look: the code has none then, and this says so.
  const wanted = look.kind === "channel" ? `${look.channel} ${look.set}` : look.kind;
  const value = [...looks, ...alone].some(([key]) => key === wanted) ? wanted : "channels";
  const turnTo = (key: string) => {
    const [channel = "0", ...set] = key.split(" ");
    turn({
      look: looks.some(([kind]) => kind === key)
        ? { kind: key as "color" }
        : { kind: "channel", channel: Number(channel), set: set.join(" ") },
    });
  };
  return <Choose label="It shows" value={value} options={[...looks, ...alone]} onChange={turnTo} />;
}

function Typed({ label, value, accept }: { label: string; value: number; accept: (number: number) => void }) {
  const { typed, field } = useTyped(String(value), accept);
  return (
    <Row label={label}>
      <InputBase
        value={typed ?? String(value)}
        inputProps={{ "aria-label": label, inputMode: "decimal", style: { padding: 0, textAlign: "right" } }}
        {...field}
        sx={{ width: 90, fontSize: 13, fontWeight: 650 }}
      />
    </Row>
  );
}

/** What a set is called in the file; its own name when nothing is typed. */
function NameInFile({
  own,
  called,
  accept,
}: {
  own: string;
  called: string | undefined;
  accept: (name: string) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <InputBase
      value={typed ?? called ?? ""}
      placeholder="as it is"
      inputProps={{
        "aria-label": `${own} is called in the file`,
        maxLength: 80,
        style: { padding: 0, textAlign: "right" },
      }}
      onFocus={(event) => {
        setTyped(called ?? "");
        event.target.select();
      }}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => {
        accept((typed ?? "").trim());
        setTyped(null);
      }}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") (event.target as HTMLElement).blur();
      }}
      sx={{ width: 92, fontSize: 12.5, color: "text.secondary" }}
    />
  );
}

/** Which sets go, and in which order: receivers read the first one first. */
function Sets({ recipient }: { recipient: Recipient }) {
  const parts = useApp((state) => state.parts);
  const there = [...new Set(parts.flatMap((part) => part.sets.map((each) => each.name)))];
  const chosen = recipient.sets.length > 0 ? recipient.sets.filter((name) => there.includes(name)) : there;
  const rows = [...chosen, ...there.filter((name) => !chosen.includes(name))];
  const put = (sets: string[]) =>
    turn({ sets: sets.length === there.length && sets.every((name, i) => name === there[i]) ? [] : sets });
  const move = (name: string, by: number) => {
    const from = chosen.indexOf(name);
    const next = chosen.filter((other) => other !== name);
    next.splice(from + by, 0, name);
    put(next);
  };
  const rename = (name: string, called: string) => {
    const names = Object.entries(recipient.set_names).filter(([own]) => own !== name);
    if (called && called !== name) names.push([name, called]);
    turn({ set_names: Object.fromEntries(names) });
  };
  if (there.length === 0) return null;
  return (
    <Box
      sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 0.5 }}
      role="group"
      aria-label="Sets that go along">
      {rows.map((name) => {
        const at = chosen.indexOf(name);
        return (
          <Box key={name} sx={{ display: "flex", alignItems: "center", minHeight: 30 }}>
            <Checkbox
              size="small"
              sx={{ p: 0.5, ml: -0.5 }}
              checked={at >= 0}
              disabled={at >= 0 && chosen.length === 1}
              slotProps={{ input: { "aria-label": `${name} goes along` } }}
              onChange={(_, on) => put(on ? [...chosen, name] : chosen.filter((other) => other !== name))}
            />
            <Typography
              variant="body2"
              noWrap
              sx={{ flex: 1, color: at < 0 ? "text.secondary" : undefined, fontWeight: at === 0 ? 650 : undefined }}>
              {name}
              {at === 0 && chosen.length > 1 ? " · first" : ""}
            </Typography>
            {at >= 0 && (
              <NameInFile own={name} called={recipient.set_names[name]} accept={(called) => rename(name, called)} />
            )}
            {at >= 0 && chosen.length > 1 && (
              <>
                <IconButton
                  size="small"
                  disabled={at === 0}
                  onClick={() => move(name, -1)}
                  aria-label={`${name} earlier`}>
                  <DownIcon fontSize="small" sx={{ transform: "rotate(180deg)" }} />
                </IconButton>
                <IconButton
                  size="small"
                  disabled={at === chosen.length - 1}
                  onClick={() => move(name, 1)}
                  aria-label={`${name} later`}>
                  <DownIcon fontSize="small" />
                </IconButton>
              </>
            )}
          </Box>
        );
      })}
    </Box>
  );
}
