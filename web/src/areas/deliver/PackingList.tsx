// What is packed: goods, spools, losses and their cures, what changed since, and the proof.
import { Alert, Box, Button, Collapse, Typography } from "@mui/material";
import { bytes, counted, figure } from "../../model/words";
import { turn, verdict, type Recipient } from "./delivery";
import type { Schemas } from "../../api/client";

/** What goes, and in what. */
export function Goods({ list }: { list: Schemas["PackingList"] }) {
  return (
    <Box data-test="goods" sx={{ mb: 1.25 }}>
      {list.parts.map((part) => (
        <Box key={part.name} sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
          <Typography variant="body2" sx={{ fontWeight: 650 }} noWrap title={part.name}>
            {part.name}
          </Typography>
          <Typography variant="caption" color="textSecondary" noWrap sx={{ flex: 1 }} title={part.sets.join(", ")}>
            {part.sets.length > 0 ? part.sets.join(", ") : "no set"}
          </Typography>
          <Typography variant="caption" color="textSecondary" sx={{ flexShrink: 0 }}>
            {counted(part.faces, "face", "faces")}
          </Typography>
        </Box>
      ))}
      <Box sx={{ mt: 0.75, pt: 0.75, borderTop: 1, borderColor: "divider", borderTopStyle: "dashed" }}>
        {list.files.map((file) => (
          <Box key={file.name} sx={{ display: "flex", gap: 1 }}>
            <Typography variant="caption" noWrap sx={{ flex: 1 }} title={file.name}>
              {file.name}
            </Typography>
            <Typography variant="caption" color="textSecondary">
              {bytes(file.bytes)}
            </Typography>
          </Box>
        ))}
      </Box>
      <Typography variant="caption" color="textSecondary">
        Read in {list.unit}, it is {list.size.map(figure).join(" × ")} {list.unit}.
      </Typography>
    </Box>
  );
}

/** The spools it is printed with, as a bar of areas. */
export function Spools({ spools }: { spools: Schemas["Spool"][] }) {
  return (
    <Box data-test="spools" sx={{ mb: 1.25 }}>
      <Box
        sx={{ display: "flex", height: 14, borderRadius: 1.5, overflow: "hidden", border: 1, borderColor: "divider" }}
        aria-hidden>
        {spools.map((spool, i) => (
          <Box key={i} sx={{ bgcolor: spool.color, width: `${100 * spool.share}%` }} />
        ))}
      </Box>
      <Box
        component="ol"
        sx={{
          m: 0,
          mt: 0.5,
          p: 0,
          listStyle: "none",
          display: "grid",
          gridTemplateColumns: "1fr 1fr",
          columnGap: 1.5,
        }}>
        {spools.map((spool, i) => (
          <Box component="li" key={i} sx={{ display: "flex", alignItems: "center", gap: 0.75, minWidth: 0 }}>
            <Box
              sx={{
                width: 11,
                height: 11,
                borderRadius: "3px",
                bgcolor: spool.color,
                border: 1,
                borderColor: "divider",
                flexShrink: 0,
              }}
            />
            <Typography variant="caption" noWrap sx={{ flex: 1 }} title={`${spool.name} ${spool.color}`}>
              {i + 1} {spool.name || spool.color}
            </Typography>
            <Typography variant="caption" color="textSecondary">
              {(100 * spool.share).toFixed(1)} %
            </Typography>
          </Box>
        ))}
      </Box>
    </Box>
  );
}

const weights = {
  lost: { mark: "✕", color: "error.main", word: "lost" },
  careful: { mark: "!", color: "warning.main", word: "careful" },
  fine: { mark: "✓", color: "success.main", word: "fine" },
} as const;

/** What is lost or changed on the way, the worst first. */
export function Losses({ losses }: { losses: Schemas["DeliveryLoss"][] }) {
  const order = ["lost", "careful", "fine"];
  const sorted = [...losses].sort((a, b) => order.indexOf(a.weight) - order.indexOf(b.weight));
  if (losses.length === 0)
    return (
      <Typography variant="body2" data-test="losses" sx={{ color: "success.main", fontWeight: 600 }}>
        ✓ Nothing is lost.
      </Typography>
    );
  return (
    <Box component="ul" data-test="losses" sx={{ m: 0, p: 0, listStyle: "none", display: "grid", gap: 0.75 }}>
      {sorted.map((loss, i) => {
        const { mark, color, word } = weights[loss.weight];
        return (
          <Box component="li" key={i} sx={{ display: "grid", gridTemplateColumns: "18px 1fr", columnGap: 0.5 }}>
            <Typography aria-label={word} variant="body2" sx={{ color, fontWeight: 800 }}>
              {mark}
            </Typography>
            <Box>
              <Typography variant="body2">
                {loss.part ? (
                  <>
                    <b>{loss.part}</b>: {loss.text}
                  </>
                ) : (
                  capital(loss.text)
                )}
                .
              </Typography>
              {loss.cures ? (
                <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.75, mt: 0.25 }}>
                  {loss.cures.map((cure) => (
                    <Cured key={JSON.stringify(cure)} cure={cure} />
                  ))}
                </Box>
              ) : (
                loss.remedy && (
                  <Typography variant="caption" color="textSecondary">
                    {loss.remedy}
                  </Typography>
                )
              )}
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}

/** A choice that undoes a loss, one click away. */
function Cured({ cure }: { cure: Schemas["Cure"] }) {
  const [words, choices] = cureOf(cure);
  return (
    <Button
      size="small"
      variant="outlined"
      color="secondary"
      data-test="cure"
      onClick={() => turn(choices)}
      sx={{ minHeight: 24, py: 0, px: 1, fontSize: 12 }}>
      {words}
    </Button>
  );
}

function cureOf(cure: Schemas["Cure"]): [string, Partial<Recipient>] {
  if (cure === "alpha") return ["Take alpha along", { alpha: true }];
  if (cure === "materials") return ["Take materials along", { materials: true }];
  if (cure === "usual_light") return ["Send colors as usual", { light: null }];
  if (cure === "file_per_part") return ["One file for each part", { file_per_part: true }];
  if ("depth" in cure) return [cure.depth === "bits16" ? "Take 16 bits" : "Take floats", { depth: cure.depth }];
  return [cure.data === "behind_white" ? "Send white first" : "Send data by its own name", { data: cure.data }];
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** What is other than it was when it was sent last. */
export function Since({ changed, sent }: { changed: string[]; sent: Schemas["Sent"] | null | undefined }) {
  const when = sent ? new Date(sent.at_ms).toLocaleString([], { dateStyle: "medium", timeStyle: "short" }) : "";
  return (
    <Box data-test="since" sx={{ mt: 1.25 }}>
      <Typography variant="caption" color="textSecondary" component="p">
        Sent last {when}
        {sent && `, revision ${sent.revision}`}.
      </Typography>
      {changed.length === 0 ? (
        <Typography variant="body2">Nothing has changed since.</Typography>
      ) : (
        changed.map((each) => (
          <Typography variant="body2" key={each}>
            Since then {each}.
          </Typography>
        ))
      )}
    </Box>
  );
}

export function Proof({ proof }: { proof: Schemas["Comparison"] }) {
  const { text, equal } = verdict(proof);
  const steps = (x: number | null | undefined) =>
    x === null || x === undefined ? "not there" : x === 0 ? "0" : (x * 255).toFixed(x * 255 < 0.01 ? 4 : 2);
  return (
    <Alert
      severity={equal ? "success" : "warning"}
      sx={{ mt: 1, "& .MuiAlert-message": { width: 1 } }}
      data-test="proof">
      Read again alone. {text}
      <Box
        component="table"
        sx={{
          mt: 0.75,
          width: 1,
          borderSpacing: 0,
          fontSize: 12,
          "& th": { textAlign: "left", fontWeight: 400, color: "text.secondary" },
          "& td + td, & th + th": { textAlign: "right" },
        }}>
        <thead>
          <tr>
            <th>set</th>
            <th>largest</th>
            <th>mean</th>
          </tr>
        </thead>
        <tbody>
          {proof.parts.flatMap((part) =>
            part.sets.map((each) => (
              <tr key={`${part.name} ${each.name}`}>
                <td>
                  {proof.parts.length > 1 ? `${part.name} · ` : ""}
                  {each.name}
                </td>
                <td>{steps(each.max_difference)}</td>
                <td>{steps(each.mean_difference)}</td>
              </tr>
            )),
          )}
        </tbody>
      </Box>
      <Typography variant="caption" color="textSecondary">
        in steps of 255
      </Typography>
    </Alert>
  );
}

export function Fold({
  title,
  mark,
  isOpen,
  onTurn,
  children,
}: {
  title: string;
  mark: string;
  isOpen: boolean;
  onTurn: (is: boolean) => void;
  children: React.ReactNode;
}) {
  return (
    <Box sx={{ mt: 1 }}>
      <Button
        color="secondary"
        size="small"
        aria-expanded={isOpen}
        onClick={() => onTurn(!isOpen)}
        data-test={mark}
        sx={{ px: 0.5, ml: -0.5 }}>
        {isOpen ? "−" : "+"} {title}
      </Button>
      <Collapse in={isOpen} unmountOnExit>
        {children}
      </Collapse>
    </Box>
  );
}

/** The note as people read it: its lines, without Markdown's own marks. */
export function Note({ text }: { text: string }) {
  return (
    <Box
      component="pre"
      data-test="note"
      sx={{
        m: 0,
        p: 1,
        fontSize: 11.5,
        maxHeight: 320,
        overflow: "auto",
        border: 1,
        borderColor: "divider",
        borderRadius: 2,
        whiteSpace: "pre-wrap",
        fontFamily: "inherit",
      }}>
      {text}
    </Box>
  );
}
