// What happens when the button is pressed, in one sentence, and the buttons.
import { Box, Button, Typography } from "@mui/material";
import { useApp } from "../../model/state";
import { bytes } from "../../model/words";
import { useState } from "react";
import type { Project } from "../../project/project";
import { giveUp, prove, send, useDelivery } from "./delivery";
import { OpenSent } from "./OpenSent";

export function DeliverTray({ project, live }: { project: number; live: Project | null }) {
  const [isOpen, setOpen] = useState(false);
  const { recipient, formats, list, sending, proving, packing, entries } = useDelivery();
  const parts = useApp((state) => state.parts);
  const format = formats.find((each) => each.format === recipient?.format);
  const again = entries.some((each) => each.recipient.name === recipient?.name && each.sent);
  const whole = list?.files.reduce((sum, file) => sum + file.bytes, 0) ?? 0;
  const lost = list?.losses.filter((loss) => loss.weight === "lost").length ?? 0;
  const ready = parts.length > 0 && list !== null;
  return (
    <>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        {ready ? (
          <>
            <Typography variant="body2">
              <b>{list.parts.length === 1 ? list.parts[0]?.name : `${list.parts.length} parts`}</b> as{" "}
              <b>{format?.title}</b> to <b>{recipient?.name}</b>
            </Typography>
            <Typography variant="body2" color="textSecondary">
              {list.files.length === 1 ? "One file" : `${list.files.length} files in a zip`}, {bytes(whole)}
              {lost > 0 ? `; ${lost === 1 ? "one thing is" : `${lost} things are`} lost: see the list` : ""}
            </Typography>
          </>
        ) : (
          <Typography variant="body2" color="textSecondary">
            {parts.length === 0
              ? "Nothing to send yet: bring a mesh in first."
              : packing
                ? "Packing…"
                : "See the list for what is in the way."}
          </Typography>
        )}
      </Box>
      <Button
        variant="outlined"
        color="secondary"
        onClick={() => setOpen(true)}
        disabled={!ready || !live}
        data-test="open-sent"
        sx={{ bgcolor: "background.paper", flexShrink: 0 }}>
        Open it elsewhere
      </Button>
      {isOpen && live && <OpenSent project={live} id={project} onClose={() => setOpen(false)} />}
      <Button
        variant="outlined"
        color="secondary"
        onClick={() => (proving ? giveUp() : void prove(project))}
        disabled={!ready}
        data-test="prove"
        sx={{ bgcolor: "background.paper", flexShrink: 0, minWidth: 104 }}>
        {proving ? "Give up" : "Prove it"}
      </Button>
      <Button
        variant="contained"
        onClick={() => void send(project)}
        loading={sending}
        disabled={!ready}
        data-test="export"
        sx={{ flexShrink: 0, minWidth: 120 }}>
        {again ? "Send again" : "Send"}
      </Button>
    </>
  );
}
