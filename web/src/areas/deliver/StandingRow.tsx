// Whether a recipient is kept up to date in the folder that the server was started with, and what was written there.
import { Alert, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import { api, type Schemas } from "../../api/client";
import { Switching } from "../../widgets/rows";
import { keep, type Recipient } from "./delivery";

/** How often what was written is asked for, milliseconds. */
const EVERY = 1500;

export function StandingRow({ project, recipient }: { project: number; recipient: Recipient }) {
  const [state, setState] = useState<Schemas["StandingState"] | null>(null);
  const stands = recipient.standing;
  useEffect(() => {
    let over = false;
    const ask = async () => {
      const { data } = await api.GET("/api/v1/projects/{project}/standing", { params: { path: { project } } });
      if (!over && data) setState(data);
    };
    void ask();
    // Only what stands changes by itself.
    const timer = stands ? window.setInterval(() => void ask(), EVERY) : 0;
    return () => {
      over = true;
      window.clearInterval(timer);
    };
  }, [project, stands, recipient.name]);
  if (!state) return null;
  if (state.folder == null)
    return (
      <Typography variant="caption" color="textSecondary" component="p" sx={{ mt: 1 }} data-test="no-standing-folder">
        Started with <b>--into DIR</b>, the server keeps a folder up to date for recipients, whenever the project rests
        after a change.
      </Typography>
    );
  const done = state.done.find((own) => own.recipient === recipient.name);
  return (
    <>
      <Switching
        label="Kept up to date in the server’s folder"
        on={stands}
        onChange={(standing) => void keep(project, { ...recipient, standing })}
      />
      {stands && (
        <Typography variant="caption" color="textSecondary" component="p" data-test="standing">
          {done && done.trouble == null
            ? `${done.files.length} ${done.files.length === 1 ? "file" : "files"} of revision ${done.revision} in ${state.folder}, written ${new Date(done.at_ms).toLocaleTimeString("en-GB")}.`
            : `In ${state.folder}, when the project has rested for a moment.`}
        </Typography>
      )}
      {stands && done?.trouble != null && (
        <Alert severity="error" sx={{ mt: 0.5 }} data-test="standing-trouble">
          {done.trouble}. It is tried again in a while; what was there stays.
        </Alert>
      )}
    </>
  );
}
