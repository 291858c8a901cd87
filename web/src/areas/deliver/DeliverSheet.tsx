// The Deliver area, as a packing list: what goes to whom, in what, what is lost, and the note.
import { Fold, Goods, Losses, Note, Proof, Since, Spools } from "./PackingList";
import { Alert, Box, IconButton, LinearProgress, Menu, MenuItem, Paper, Select, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import { MoreIcon, UndoIcon } from "../../widgets/icons";
import { NameDialog } from "../../widgets/NameDialog";
import { useApp } from "../../model/state";
import { bytes } from "../../model/words";
import { add, choose, forget, keep, open, pack, takeBack, useDelivery, type Recipient } from "./delivery";
import { HowFields } from "./HowFields";
import { MapFields } from "./MapFields";
import { StandingRow } from "./StandingRow";

/** How long a choice rests before it is packed anew, milliseconds. */
const REST = 250;

export function DeliverSheet({ project }: { project: number }) {
  const { entries, formats, recipient, list, packing, handed, proof, trouble } = useDelivery();
  const parts = useApp((state) => state.parts);
  const revision = useApp((state) => state.history.revision);
  const [shown, setShown] = useState<"how" | "note" | "map" | null>(null);
  useEffect(() => void open(project), [project]);
  useEffect(() => {
    if (!recipient) return;
    const timer = window.setTimeout(() => void pack(project), REST);
    return () => window.clearTimeout(timer);
  }, [project, recipient, revision]);
  const entry = entries.find((each) => each.recipient.name === recipient?.name);
  return (
    <Paper
      variant="outlined"
      component="section"
      aria-label="Packing list"
      sx={{ p: 1.75, borderRadius: 4 }}
      onKeyDown={keysOf}>
      {recipient && <To project={project} recipient={recipient} />}
      {entry?.says && (
        <Typography variant="caption" color="textSecondary" component="p">
          {entry.says}
        </Typography>
      )}
      <LinearProgress sx={{ my: 1, visibility: packing ? "visible" : "hidden" }} />
      {parts.length === 0 ? (
        <Typography variant="body2" color="textSecondary">
          There is nothing to send yet: bring a mesh in first.
        </Typography>
      ) : (
        <>
          {trouble && (
            <Alert severity="error" sx={{ mb: 1 }} data-test="trouble-sending">
              {trouble}
            </Alert>
          )}
          {list && <Goods list={list} />}
          {list && list.spools.length > 0 && <Spools spools={list.spools} />}
          {list && <Losses losses={list.losses} />}
          {list?.changed && <Since changed={list.changed} sent={entry?.sent} />}
          {handed && (
            <Alert severity="success" sx={{ mt: 1 }} data-test="exported">
              <b>{handed.file}</b>, {bytes(handed.bytes)}, was handed to your browser.
            </Alert>
          )}
          {proof && <Proof proof={proof} />}
          {recipient && <StandingRow project={project} recipient={recipient} />}
        </>
      )}
      {recipient && (
        <Fold title="How it goes" mark="show-how" isOpen={shown === "how"} onTurn={(is) => setShown(is ? "how" : null)}>
          <HowFields recipient={recipient} formats={formats} />
        </Fold>
      )}
      {list && (
        <Fold
          title="The channel note"
          mark="show-note"
          isOpen={shown === "note"}
          onTurn={(is) => setShown(is ? "note" : null)}>
          <Note text={list.note} />
        </Fold>
      )}
      {parts.length > 0 && (
        <Fold
          title="A map of channels"
          mark="show-map"
          isOpen={shown === "map"}
          onTurn={(is) => setShown(is ? "map" : null)}>
          <MapFields project={project} />
        </Fold>
      )}
      <Typography variant="caption" color="textSecondary" component="p" sx={{ mt: 1.5 }}>
        Formats of closed programs are not written. Where one is asked for, USD or GLB is what most of them read; for
        printers 3MF.
      </Typography>
    </Paper>
  );
}

/** Keys that are pressed here are meant for what is here, but for undo: it takes the last choice back,
    and where there is none, the last deed. */
function keysOf(event: React.KeyboardEvent) {
  const isTyped = (event.target as HTMLElement).closest("input, textarea") !== null;
  const undoes = (event.ctrlKey || event.metaKey) && !event.shiftKey && event.key.toLowerCase() === "z";
  if (undoes && !isTyped && useDelivery.getState().before.length > 0) {
    event.preventDefault();
    event.stopPropagation();
    takeBack();
  } else if (!(event.ctrlKey || event.metaKey)) {
    event.stopPropagation();
  }
}

/** Who it goes to. */
function To({ project, recipient }: { project: number; recipient: Recipient }) {
  const entries = useDelivery((state) => state.entries);
  const canTakeBack = useDelivery((state) => state.before.length > 0);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState<"copy" | "name" | null>(null);
  const entry = entries.find((each) => each.recipient.name === recipient.name);
  const isStarter = entry !== undefined && entry.says !== "";
  const shut = () => setAnchor(null);
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
      <Typography variant="h2" sx={{ flexShrink: 0 }}>
        To
      </Typography>
      <Select
        variant="standard"
        disableUnderline
        fullWidth
        value={recipient.name}
        inputProps={{ "aria-label": "Recipient" }}
        SelectDisplayProps={{ "data-test": "recipient" } as React.HTMLAttributes<HTMLDivElement>}
        onChange={(event) => {
          const found = entries.find((each) => each.recipient.name === event.target.value);
          if (found) choose(found.recipient);
        }}
        sx={{ fontSize: 16, fontWeight: 650, "& .MuiSelect-select": { py: 0.25 } }}>
        {entries.map((each) => (
          <MenuItem key={each.recipient.name} value={each.recipient.name} dense>
            {each.recipient.name}
            {each.sent ? " · sent before" : ""}
          </MenuItem>
        ))}
      </Select>
      {canTakeBack && (
        <IconButton
          size="small"
          onClick={takeBack}
          aria-label="Take the last choice back"
          title="Take the last choice back"
          data-test="take-back">
          <UndoIcon fontSize="small" />
        </IconButton>
      )}
      <IconButton
        size="small"
        onClick={(event) => setAnchor(event.currentTarget)}
        aria-label="More about this recipient"
        data-test="recipient-more">
        <MoreIcon fontSize="small" />
      </IconButton>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={shut}>
        <MenuItem
          dense
          onClick={() => {
            shut();
            void keep(project, recipient);
          }}>
          Keep these choices
        </MenuItem>
        <MenuItem
          dense
          onClick={() => {
            shut();
            setNaming("copy");
          }}>
          New recipient like this…
        </MenuItem>
        {entry?.kept && (
          <MenuItem
            dense
            onClick={() => {
              shut();
              void forget(project, recipient.name);
            }}>
            {isStarter ? "Back to how it was made" : "Forget it"}
          </MenuItem>
        )}
      </Menu>
      {naming && (
        <NameDialog
          title="New recipient"
          name={`${recipient.name} 2`}
          act="Make it"
          onName={(name) => add(project, { ...recipient, name })}
          onClose={() => setNaming(null)}
        />
      )}
    </Box>
  );
}
