// One channel of a set: its grain, what it holds, and what can be done with it alone.
import {
  Box,
  Button,
  ButtonBase,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Divider,
  FormControlLabel,
  IconButton,
  Menu,
  MenuItem,
  TextField,
  Tooltip,
  Typography,
} from "@mui/material";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { RecipeIcon } from "../widgets/sourceIcons";
import { recipeTitle, stateOf, targetChannels } from "../model/recipes";
import { LockIcon, MoreIcon } from "../widgets/icons";
import type { Project } from "../project/project";
import { facts, set as setState, setLook, useApp, type ColorSet, type Part } from "../model/state";
import { channelInk, channelName } from "../model/theme";
import { Colorize } from "./Colorize";
import { Grain } from "./Grain";

interface Props {
  set: ColorSet;
  part: Part;
  channel: number;
  chosen: boolean;
  onChoose: () => void;
  project: Project;
}

export function Cell({ set, part, channel, chosen, onChoose, project }: Props) {
  const held = useApp((state) => state.figures[set.id]?.[channel]);
  const alone = useApp((state) => state.shown === set.id && state.look.channel === channel);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [asking, setAsking] = useState<"describe" | "bring" | "colorize" | null>(null);
  const name = channelName[channel] ?? "";
  const traits = set.channels[channel] ?? emptyTraits;
  const made = set.recipes.find((recipe) => targetChannels[recipe.channels][channel]);
  const status = useApp((state) => (made ? stateOf(state.recipes, part.id, set.id, made.channels)?.status : undefined));
  const share = useApp((state) => (made ? (stateOf(state.recipes, part.id, set.id, made.channels)?.share ?? 1) : 1));
  const madeWords = made
    ? `Made by a recipe (${recipeTitle(made)}): ${{ fresh: "up to date", stale: "not up to date", making: "being made", failed: "it could not be made" }[status ?? "stale"]}`
    : "";
  const numbers = held ? `min ${held.min.toFixed(3)} · mean ${held.mean.toFixed(3)} · max ${held.max.toFixed(3)}` : "…";
  const hasWords = set.channels.some((channel) => channel.meaning) || set.recipes.length > 0;
  const senses = [
    traits.low && `0 is ${traits.low}`,
    traits.high && `1 is ${traits.high}`,
    traits.signed && `neutral ${traits.signed.neutral}, amount ${traits.signed.amount}`,
  ]
    .filter(Boolean)
    .join(" · ");
  const choose = (act: () => void) => () => {
    setAnchor(null);
    act();
  };
  const edit = (edit: Schemas["Edit"]) => choose(() => void project.edit(edit));
  const at = { part: part.id, set: set.id };
  const only = channelName.map((_, i) => i === channel);
  const greyName = freeName(part, `${set.name} ${name}`);
  const here = { type: "channel", from: { ...at, channel } } as const;
  return (
    <Box sx={{ position: "relative" }}>
      <Tooltip
        title={
          <>
            {traits.meaning && (
              <b>
                {traits.meaning}
                <br />
              </b>
            )}
            {senses && (
              <>
                {senses}
                <br />
              </>
            )}
            {made && (
              <>
                {madeWords}
                <br />
              </>
            )}
            {numbers}
          </>
        }>
        <ButtonBase
          onClick={onChoose}
          aria-pressed={chosen}
          aria-label={`Paint ${name} of ${set.name}`}
          sx={{
            display: "block",
            width: 1,
            textAlign: "left",
            p: 0.75,
            borderRadius: 2,
            border: 2,
            borderColor: chosen ? "primary.main" : "divider",
            bgcolor: alone ? "action.selected" : undefined,
            "&:focus-visible": { outline: "2px solid", outlineColor: "secondary.main" },
          }}>
          <Box component="span" sx={{ display: "flex", alignItems: "center", gap: 0.25, height: 18 }}>
            <Typography component="span" sx={{ fontWeight: 700, color: channelInk[channel], fontSize: 13 }}>
              {name}
            </Typography>
            <Box component="span" sx={{ flex: 1 }} />
            {made && (
              <RecipeIcon
                data-test={`recipe-${status ?? "stale"}`}
                sx={{
                  fontSize: 14,
                  mr: traits.locked ? 0 : 2.25,
                  color: {
                    making: "primary.main",
                    stale: "warning.main",
                    failed: "error.main",
                    fresh: "text.secondary",
                  }[status ?? "stale"],
                }}
                titleAccess={madeWords}
              />
            )}
            {traits.locked && <LockIcon data-test="locked" sx={{ fontSize: 14, mr: 2.25 }} titleAccess="locked" />}
          </Box>
          <Grain
            bins={held?.bins}
            ink={channelInk[channel] ?? "#000"}
            share={status === "making" ? share : 1}
            label={`Histogram of ${name}: ${numbers}`}
          />
          <Typography
            variant="caption"
            color="textSecondary"
            sx={{
              lineHeight: 1.15,
              fontSize: 11.5,
              minHeight: hasWords ? 27 : undefined,
              display: "-webkit-box",
              WebkitLineClamp: 2,
              WebkitBoxOrient: "vertical",
              overflow: "hidden",
              mt: 0.25,
            }}>
            {traits.meaning || (made && recipeTitle(made)) || (held ? `⌀ ${held.mean.toFixed(2)}` : "…")}
          </Typography>
        </ButtonBase>
      </Tooltip>
      <IconButton
        size="small"
        aria-label={`More about ${name} of ${set.name}`}
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ position: "absolute", top: 3, right: 1, p: 0.25 }}>
        <MoreIcon sx={{ fontSize: 16 }} />
      </IconButton>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem
          onClick={choose(() => {
            setState({ shown: set.id });
            setLook({ channel: alone ? null : channel });
          })}>
          {alone ? "Show all channels" : "Show it alone, in grey"}
        </MenuItem>
        <MenuItem onClick={choose(() => setAsking("describe"))}>Say what it holds…</MenuItem>
        <MenuItem
          onClick={edit({ type: "describe_channel", ...at, channel, traits: { ...traits, locked: !traits.locked } })}>
          {traits.locked ? "Unlock" : "Lock: no tool changes it"}
        </MenuItem>
        <Divider />
        <MenuItem disabled={traits.locked} onClick={edit({ type: "clear_channels", ...at, channels: only })}>
          Clear to {(set.ground[channel] ?? 0).toFixed(2)}
        </MenuItem>
        <MenuItem disabled={traits.locked} onClick={choose(() => setAsking("bring"))}>
          Bring another channel in…
        </MenuItem>
        {channelName.map(
          (other, i) =>
            i !== channel && (
              <MenuItem
                key={other}
                disabled={traits.locked || set.channels[i]?.locked}
                onClick={edit({ type: "swap_channels", ...at, a: channel, b: i })}>
                Swap with {other}
              </MenuItem>
            ),
        )}
        <MenuItem
          disabled={part.sets.length >= facts().limits.sets}
          onClick={edit({
            type: "compose_set",
            part: part.id,
            name: greyName,
            placement: set.placement,
            channels: [here, here, here, { type: "number", number: 1 }],
          })}>
          Make a grey set of it
        </MenuItem>
        <MenuItem disabled={part.sets.length >= facts().limits.sets} onClick={choose(() => setAsking("colorize"))}>
          Colorize it into a set…
        </MenuItem>
      </Menu>
      {asking === "describe" && (
        <Describe
          title={`${name} of ${set.name}`}
          traits={traits}
          onTraits={(traits) => project.edit({ type: "describe_channel", ...at, channel, traits })}
          onClose={() => setAsking(null)}
        />
      )}
      {asking === "colorize" && (
        <Colorize
          part={part}
          from={{ ...at, channel }}
          title={`${name} of ${set.name}`}
          name={freeName(part, `${traits.meaning || `${set.name} ${name}`} color`)}
          project={project}
          onClose={() => setAsking(null)}
        />
      )}
      {asking === "bring" && (
        <BringIn set={set} part={part} channel={channel} project={project} onClose={() => setAsking(null)} />
      )}
    </Box>
  );
}

const emptyTraits = { meaning: "", low: "", high: "", signed: null, locked: false };

export function freeName(part: Part, wanted: string): string {
  const taken = (name: string) => part.sets.some((set) => set.name === name);
  for (let i = 1; ; i++) {
    const name = i === 1 ? wanted : `${wanted} ${i}`;
    if (!taken(name)) return name;
  }
}

const meanings = [
  "occlusion",
  "hollow grime",
  "edge wear",
  "facing up",
  "wetness",
  "sway",
  "thickness",
  "random per piece",
  "roughness",
  "metallic",
  "emission",
  "blend weight",
];

function Describe({
  title,
  traits,
  onTraits,
  onClose,
}: {
  title: string;
  traits: Schemas["ChannelTraits"];
  onTraits: (traits: Schemas["ChannelTraits"]) => Promise<boolean>;
  onClose: () => void;
}) {
  const [said, setSaid] = useState(traits);
  const [neutral, setNeutral] = useState(String(traits.signed?.neutral ?? 0.5));
  const [amount, setAmount] = useState(String(traits.signed?.amount ?? 1));
  const numbers = { neutral: Number.parseFloat(neutral), amount: Number.parseFloat(amount) };
  const fits =
    !said.signed ||
    (numbers.neutral >= 0 && numbers.neutral <= 1 && Number.isFinite(numbers.amount) && numbers.amount !== 0);
  const accept = async () => {
    if (await onTraits({ ...said, signed: said.signed ? numbers : null })) onClose();
  };
  const field = (label: string, key: "meaning" | "low" | "high", placeholder: string) => (
    <TextField
      label={label}
      size="small"
      value={said[key]}
      onChange={(event) => setSaid({ ...said, [key]: event.target.value })}
      placeholder={placeholder}
      slotProps={{
        htmlInput: { maxLength: 80, list: key === "meaning" ? "meanings" : undefined, "data-test": key },
        inputLabel: { shrink: true },
      }}
    />
  );
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>What does {title} hold?</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        {field("Meaning", "meaning", "choose, or say it in your own words")}
        <datalist id="meanings">
          {meanings.map((meaning) => (
            <option key={meaning} value={meaning} />
          ))}
        </datalist>
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 2 }}>
          {field("0 is", "low", "for example clean")}
          {field("1 is", "high", "for example dirty")}
        </Box>
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={Boolean(said.signed)}
              onChange={(event) => setSaid({ ...said, signed: event.target.checked ? numbers : null })}
            />
          }
          label="It goes both ways from a neutral number"
        />
        {said.signed && (
          <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 2 }}>
            <TextField
              label="Neutral number"
              size="small"
              value={neutral}
              onChange={(event) => setNeutral(event.target.value)}
              error={!(numbers.neutral >= 0 && numbers.neutral <= 1)}
              helperText="0 to 1"
            />
            <TextField
              label="A step of 1 stands for"
              size="small"
              value={amount}
              onChange={(event) => setAmount(event.target.value)}
              error={!Number.isFinite(numbers.amount) || numbers.amount === 0}
              helperText="value = (number − neutral) × this"
            />
          </Box>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!fits} onClick={() => void accept()}>
          Write it down
        </Button>
      </DialogActions>
    </Dialog>
  );
}

const merges: { key: Schemas["ChannelMerge"]; says: string }[] = [
  { key: "replace", says: "replaces what is there" },
  { key: "multiply", says: "product of both" },
  { key: "add", says: "sum, at most 1" },
  { key: "subtract", says: "taken from what is there" },
  { key: "difference", says: "how far both are apart" },
  { key: "darker", says: "the smaller of both" },
  { key: "lighter", says: "the greater of both" },
];

/** Another channel's numbers into this one, from any set of a part with the same mesh. */
function BringIn({
  set,
  part,
  channel,
  project,
  onClose,
}: Omit<Props, "chosen" | "onChoose"> & { onClose: () => void }) {
  const parts = useApp((state) => state.parts);
  const sources = parts
    .filter((other) => other.mesh === part.mesh)
    .flatMap((other) =>
      other.sets.flatMap((from) =>
        channelName.map((name, i) => ({
          key: `${other.id} ${from.id} ${i}`,
          at: { part: other.id, set: from.id, channel: i },
          says: `${other.id === part.id ? "" : `${other.name}, `}${from.name} · ${name}${from.channels[i]?.meaning ? ` ${from.channels[i].meaning}` : ""}`,
        })),
      ),
    )
    .filter((source) => source.at.set !== set.id || source.at.channel !== channel);
  const [key, setKey] = useState(sources[0]?.key ?? "");
  const [merge, setMerge] = useState<Schemas["ChannelMerge"]>("replace");
  const [invert, setInvert] = useState(false);
  const source = sources.find((candidate) => candidate.key === key);
  const accept = async () => {
    if (
      source &&
      (await project.edit({
        type: "merge_channel",
        from: source.at,
        to: { part: part.id, set: set.id, channel },
        merge,
        invert,
      }))
    )
      onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle>
        Bring a channel into {channelName[channel]} of {set.name}
      </DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
        <TextField
          select
          size="small"
          label="From"
          value={key}
          onChange={(event) => setKey(event.target.value)}
          helperText="Sets of this part, and of parts with the same mesh">
          {sources.map((each) => (
            <MenuItem key={each.key} value={each.key}>
              {each.says}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          size="small"
          label="How"
          value={merge}
          onChange={(event) => setMerge(event.target.value as Schemas["ChannelMerge"])}>
          {merges.map((each) => (
            <MenuItem key={each.key} value={each.key}>
              {each.key[0]?.toUpperCase()}
              {each.key.slice(1)}: {each.says}
            </MenuItem>
          ))}
        </TextField>
        <FormControlLabel
          control={<Checkbox size="small" checked={invert} onChange={(event) => setInvert(event.target.checked)} />}
          label="Inverted first: 1 less its number"
        />
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!source} onClick={() => void accept()}>
          Bring it in
        </Button>
      </DialogActions>
    </Dialog>
  );
}
