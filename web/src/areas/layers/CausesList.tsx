// What makes a print change spools, each with what would mend it and what that gains.
import { Box, Button, Checkbox, Typography } from "@mui/material";
import { count } from "../../model/words";
import { turn, usePrint, type Cause, type Told } from "./layersInHand";

export function CausesList({ told, onMend }: { told: Told; onMend: () => void }) {
  const causes = usePrint((print) => print.causes);
  const trouble = usePrint((print) => print.causesTrouble);
  const chosen = usePrint((print) => print.chosen);
  const busy = usePrint((print) => print.busy);
  if (!causes)
    return (
      <Typography variant="body2" color={trouble ? "error" : "textSecondary"} sx={{ mt: 1.25 }}>
        {trouble ?? "Looking what causes most of it…"}
      </Typography>
    );
  if (told.plan.changes === 0)
    return (
      <Typography variant="body2" color="textSecondary" sx={{ mt: 1.25 }}>
        It prints in one go, without a change of spool.
      </Typography>
    );
  const toggle = (i: number) =>
    turn({ chosen: chosen.includes(i) ? chosen.filter((each) => each !== i) : [...chosen, i] });
  return (
    <Box sx={{ mt: 1.25 }} data-test="causes">
      <Typography variant="h3">What causes most of it</Typography>
      {causes.map((cause, i) => {
        const [title, detail] = words(cause, told);
        const isMended = cause.remedy !== "none";
        return (
          <Box
            key={i}
            data-test={`cause-${cause.remedy}`}
            onPointerEnter={() => turn({ pointed: i })}
            onPointerLeave={() => turn({ pointed: null })}
            sx={{
              display: "flex",
              alignItems: "flex-start",
              gap: 0.5,
              py: 0.75,
              borderBottom: 1,
              borderColor: "divider",
              borderBottomStyle: "dashed",
            }}>
            <Checkbox
              size="small"
              checked={chosen.includes(i)}
              disabled={!isMended}
              onChange={() => toggle(i)}
              slotProps={{ input: { "aria-label": title } }}
              sx={{ p: 0.25 }}
            />
            <Box sx={{ flex: 1, minWidth: 0 }}>
              <Typography variant="body2" sx={{ fontWeight: 700 }}>
                {title}
              </Typography>
              <Typography variant="caption" color="textSecondary" component="p">
                {detail}
              </Typography>
            </Box>
            <Typography
              variant="body2"
              sx={{ fontWeight: 700, whiteSpace: "nowrap", color: isMended ? "success.main" : "text.secondary" }}>
              {isMended ? `−${count(told.plan.changes - cause.changes)}` : "stays"}
            </Typography>
          </Box>
        );
      })}
      {causes.some((cause) => cause.remedy !== "none") && (
        <Button
          variant="contained"
          size="small"
          data-test="mend"
          disabled={chosen.length === 0 || busy}
          onClick={onMend}
          sx={{ mt: 1 }}>
          {chosen.length === 0
            ? "None is chosen"
            : chosen.length === 1
              ? "Do the one chosen"
              : `Do the ${chosen.length} chosen`}
        </Button>
      )}
      {causes.length === 0 && (
        <Typography variant="body2" color="textSecondary">
          Every layer has what its outside needs, in the best order: nothing is gained by a remedy.
        </Typography>
      )}
    </Box>
  );
}

/** "layers 3–9, 14", counted from 1 as the chart does. */
function ranges(layers: number[][]): string {
  const few = layers
    .slice(0, 3)
    .map(([first = 0, last = 0]) => (first === last ? `${first + 1}` : `${first + 1}–${last + 1}`));
  const more = layers.length > 3 ? ` and ${layers.length - 3} more ranges` : "";
  return `layers ${few.join(", ")}${more}`;
}

function words(cause: Cause, told: Told): [title: string, detail: string] {
  const name = cause.swatch == null ? "" : (told.swatches[cause.swatch]?.name ?? "");
  const where = ranges(cause.layers);
  switch (cause.remedy) {
    case "sweep":
      return [
        `${count(cause.specks)} ${cause.specks === 1 ? "speck" : "specks"} in ${count(cause.faces)} faces`,
        `Smaller or narrower than Sweep says, in ${where}. Let their neighbours have them.`,
      ];
    case "bands":
      return [
        `Inside of the ${name} bands is another swatch`,
        `Only the outside is ${name}, in ${where}. Make them bands through the wall.`,
      ];
    case "inner":
      return [
        `${count(cause.faces)} hidden faces in a swatch their layers need not`,
        `Around holes only, in ${where}. Paint them as the outside beside them.`,
      ];
    case "within":
      return name
        ? [`What lies within is better ${name}`, "It shows nowhere."]
        : ["What lies within is one swatch", "Let paint go right through: the inside takes the nearest outline's."];
    case "base":
      return [`Hidden unpainted faces are better ${name}`, "Make it the base: it shows nowhere."];
    case "none":
      return [`The outside has several swatches in ${where}`, "Unavoidable while they are seen."];
  }
}
