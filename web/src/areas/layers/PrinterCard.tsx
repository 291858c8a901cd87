// The printer: whether it can be reached, its jobs, and a way to send the print there.
import { Box, Button, LinearProgress, Paper, Typography } from "@mui/material";
import { useState } from "react";
import { cancelPrint, printIt } from "../../api/writes";
import { set } from "../../model/state";
import { figure, hex } from "../../model/words";
import { ColorDot } from "../../widgets/ColorDot";
import { usePrint, type Told } from "./layersInHand";
import type { Printer } from "./printer";

export function PrinterCard({
  told,
  project,
  printer,
  ask,
}: {
  told: Told;
  project: number;
  printer: Printer;
  ask: () => void;
}) {
  const [busy, setBusy] = useState(false);
  const send = async () => {
    setBusy(true);
    const { trouble } = await printIt(project, told.look, usePrint.getState().plate);
    setBusy(false);
    set({ said: trouble !== null ? { text: trouble, bad: true } : { text: `Sent to ${printer.name}.`, bad: false } });
    ask();
  };
  const cancel = async (job: number) => {
    const { trouble } = await cancelPrint(job);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
    ask();
  };
  const state = printer.trouble ? "not reached" : printer.busy ? "printing" : "ready";
  return (
    <Paper variant="outlined" component="section" aria-label="Printer" sx={{ p: 1.75, borderRadius: 4 }}>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1 }}>
        <Typography variant="h2" noWrap sx={{ flex: 1, minWidth: 0 }}>
          {printer.name || "Printer"}
        </Typography>
        <Typography
          variant="body2"
          data-test="printer-state"
          sx={{ color: printer.trouble ? "warning.main" : "text.secondary", fontWeight: printer.trouble ? 700 : 400 }}>
          {state}
        </Typography>
      </Box>
      {printer.trouble && (
        <Typography variant="body2" color="textSecondary" data-test="printer-trouble">
          {sentence(printer.trouble)} The palette stays as it is.
        </Typography>
      )}
      {printer.spools.map((spool) => {
        const need = needed(told, spool.slot);
        return (
          <Box key={spool.slot} sx={{ display: "flex", alignItems: "center", gap: 0.75, minHeight: 26 }}>
            <ColorDot size={16} color={hex(spool.color)} />
            <Typography variant="body2" noWrap sx={{ flex: 1, minWidth: 0 }}>
              {spool.slot} {spool.name} · {spool.material}
            </Typography>
            <Typography variant="body2" sx={{ color: need > spool.left ? "warning.main" : "text.secondary" }}>
              {figure(spool.left)} g left{need > spool.left ? `, ${figure(need)} needed` : ""}
            </Typography>
          </Box>
        );
      })}
      {!printer.trouble && (
        <Button
          variant="outlined"
          color="inherit"
          size="small"
          data-test="print"
          disabled={busy}
          onClick={() => void send()}
          sx={{ mt: 0.75 }}>
          Print it
        </Button>
      )}
      {[...printer.jobs]
        .reverse()
        .slice(0, 4)
        .map((job) => (
          <Box key={job.id} data-test="print-job" sx={{ display: "flex", alignItems: "center", gap: 1, minHeight: 28 }}>
            <Typography variant="body2" noWrap sx={{ flex: 1, minWidth: 0 }}>
              {job.name}
            </Typography>
            {job.state === "printing" ? (
              <LinearProgress variant="determinate" value={100 * job.share} sx={{ width: 70 }} aria-label="Printed" />
            ) : (
              <Typography variant="body2" color="textSecondary">
                {job.state === "done" ? "on the plate" : job.state}
              </Typography>
            )}
            {(job.state === "printing" || job.state === "queued") && (
              <Button
                size="small"
                color="inherit"
                data-test="cancel-print"
                onClick={() => void cancel(job.id)}
                sx={{ py: 0, minWidth: 0 }}>
                Cancel
              </Button>
            )}
          </Box>
        ))}
    </Paper>
  );
}

const sentence = (words: string) =>
  `${words.charAt(0).toUpperCase()}${words.slice(1)}${/[.?!]$/.test(words) ? "" : "."}`;

/** How much a print takes of what is on a spool, g. */
function needed(told: Told, slot: number): number {
  return told.swatches.reduce(
    (sum, { spool }, i) => sum + (spool === slot ? (told.estimate.swatches[i]?.grams ?? 0) : 0),
    0,
  );
}
