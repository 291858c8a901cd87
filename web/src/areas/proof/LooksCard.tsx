// The looks of the project: which there are, what wears them, which is in hand.
import { Box, Button, ButtonBase, IconButton, Menu, MenuItem, Paper, Typography } from "@mui/material";
import { useState } from "react";
import { starters, type ProofLook } from "../../model/proof";
import { activePart, showBare, useApp, type Part, type Proof } from "../../model/state";
import { free, hex } from "../../model/words";
import type { Project } from "../../project/project";
import { ColorDot } from "../../widgets/ColorDot";
import { MoreIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import { Switching } from "../../widgets/rows";
import { choose, keepNow, make } from "./lookInHand";

export function LooksCard({ project }: { project: Project }) {
  const proof = useApp((state) => state.proof);
  const chosen = useApp((state) => state.proofing.chosen);
  const bare = useApp((state) => state.proofing.bare);
  const part = useApp(activePart);
  const parts = useApp((state) => state.parts);
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const names = proof.looks.map(({ name }) => name);
  return (
    <Paper variant="outlined" component="section" aria-label="Looks" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Looks
        </Typography>
        <Button size="small" color="secondary" data-test="new-look" onClick={(event) => setMenu(event.currentTarget)}>
          + A look
        </Button>
      </Box>
      {proof.looks.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          A look is a small material that your channels drive: begin with one, and see what the receiver will see.
        </Typography>
      )}
      {proof.looks.map((look) => (
        <LookRow
          key={look.id}
          look={look}
          proof={proof}
          parts={parts}
          part={part}
          project={project}
          inHand={look.id === chosen}
        />
      ))}
      {proof.looks.length > 0 && <Switching label="Sets as they are, without looks" on={bare} onChange={showBare} />}
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        {starters(part).map(({ key, title, says, layers }) => (
          <MenuItem
            key={key}
            dense
            data-test={`begin-${key}`}
            onClick={() => {
              setMenu(null);
              void make(project, names.includes(title) ? free(title, names) : title, layers, true);
            }}>
            <Box>
              <Typography variant="body2" sx={{ fontWeight: 700 }}>
                {title}
              </Typography>
              <Typography variant="caption" color="textSecondary">
                {says}
              </Typography>
            </Box>
          </MenuItem>
        ))}
      </Menu>
    </Paper>
  );
}

/** What wears a look, in words. */
function wornWords(look: number, { everywhere, worn }: Proof, parts: Part[]): string {
  const own = worn.filter((each) => each.look === look && parts.some(({ id }) => id === each.part));
  const others = worn.length - worn.filter((each) => each.look === look).length;
  if (everywhere === look) return others > 0 ? "on all others" : "on all parts";
  if (own.length === 0) return "not worn";
  return own.length === 1 ? `on ${parts.find(({ id }) => id === own[0]?.part)?.name ?? ""}` : `on ${own.length} parts`;
}

function LookRow({
  look,
  proof,
  parts,
  part,
  project,
  inHand,
}: {
  look: ProofLook;
  proof: Proof;
  parts: Part[];
  part: Part | undefined;
  project: Project;
  inHand: boolean;
}) {
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState(false);
  const id = look.id ?? 0;
  const wears = wornWords(id, proof, parts);
  const act = (run: () => void) => () => {
    setMenu(null);
    void keepNow();
    run();
  };
  const rename = async (name: string) =>
    (await project.edit({ type: "set_look", look: { ...look, name } })) ? null : "Choose another name.";
  return (
    <Box
      data-test="look-row"
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 0.75,
        borderRadius: 2,
        border: 1.5,
        borderColor: inHand ? "text.primary" : "transparent",
        px: 0.75,
      }}>
      <ButtonBase
        aria-pressed={inHand}
        onClick={() => choose(inHand ? null : id)}
        sx={{ flex: 1, minWidth: 0, minHeight: 32, gap: 0.75, justifyContent: "flex-start" }}>
        <Box sx={{ display: "flex" }}>
          {look.layers.slice(0, 4).map((layer, i) => (
            <Box key={i} sx={{ ml: i === 0 ? 0 : -0.5 }}>
              <ColorDot size={14} color={dotOf(layer)} />
            </Box>
          ))}
        </Box>
        <Typography variant="body2" noWrap sx={{ fontWeight: 700 }}>
          {look.name}
        </Typography>
        <Typography variant="caption" color="textSecondary" noWrap sx={{ ml: "auto" }}>
          {wears}
        </Typography>
      </ButtonBase>
      <IconButton
        size="small"
        aria-label={`More about ${look.name}`}
        data-test="look-more"
        onClick={(event) => setMenu(event.currentTarget)}>
        <MoreIcon sx={{ fontSize: 18 }} />
      </IconButton>
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        <MenuItem
          dense
          disabled={wears === "on all parts"}
          onClick={act(() => void project.edit({ type: "wear_look", look: id }))}>
          Wear on all parts
        </MenuItem>
        {part && parts.length > 1 && (
          <MenuItem dense onClick={act(() => void project.edit({ type: "wear_look", look: id, parts: [part.id] }))}>
            Wear on {part.name} alone
          </MenuItem>
        )}
        {part && proof.worn.some((own) => own.part === part.id && own.look === id) && (
          <MenuItem dense onClick={act(() => void project.edit({ type: "wear_look", look: null, parts: [part.id] }))}>
            On {part.name}, what the others wear
          </MenuItem>
        )}
        {wears !== "not worn" && (
          <MenuItem dense onClick={act(() => void project.edit({ type: "wear_look", look: null }))}>
            Take all looks off
          </MenuItem>
        )}
        <MenuItem
          dense
          onClick={act(() => {
            const name = free(
              look.name.replace(/ \d+$/, ""),
              proof.looks.map((own) => own.name),
            );
            // What is worn changes only where it is asked for.
            void make(project, name, look.layers, false);
          })}>
          Copy
        </MenuItem>
        <MenuItem dense onClick={act(() => setNaming(true))}>
          Rename
        </MenuItem>
        <MenuItem
          dense
          onClick={act(() => {
            if (inHand) choose(null);
            void project.edit({ type: "remove_look", look: id });
          })}>
          Remove
        </MenuItem>
      </Menu>
      {naming && (
        <NameDialog
          title="Rename the look"
          name={look.name}
          act="Rename"
          onName={rename}
          onClose={() => setNaming(false)}
        />
      )}
    </Box>
  );
}

const dotOf = ({ coat }: ProofLook["layers"][number]) => {
  const [r = 0.8, g = 0.8, b = 0.8] =
    coat.kind === "color" ? coat.color : coat.kind === "ramp" ? (coat.stops[1] ?? []) : [];
  return hex([r, g, b, 1]);
};
