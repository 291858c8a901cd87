// Asks for one name, and stays with it until it is taken.
import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useState } from "react";

interface Props {
  title: string;
  name: string;
  act: string;
  /** Tells why the name cannot be taken; null when it was. */
  onName: (name: string) => Promise<string | null>;
  onClose: () => void;
}

export function NameDialog({ title, name, act, onName, onClose }: Props) {
  const [typed, setTyped] = useState(name);
  const [busy, setBusy] = useState(false);
  const [trouble, setTrouble] = useState<string | null>(null);
  const fits = typed.trim() !== "";
  const accept = async () => {
    if (!fits || busy) return;
    setBusy(true);
    const trouble = await onName(typed.trim());
    setBusy(false);
    setTrouble(trouble);
    if (trouble === null) onClose();
  };
  const type = (text: string) => {
    setTyped(text);
    setTrouble(null);
  };
  return (
    <Dialog
      open
      onClose={onClose}
      maxWidth="xs"
      fullWidth
      onKeyDown={(event) => {
        event.stopPropagation();
        // On a button Enter presses that button.
        if (event.key !== "Enter" || (event.target as HTMLElement).closest("button")) return;
        // Or the key would press whatever has the focus when the dialog is gone.
        event.preventDefault();
        void accept();
      }}>
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>
        <TextField
          value={typed}
          onChange={(event) => type(event.target.value)}
          autoFocus
          fullWidth
          size="small"
          error={trouble !== null}
          helperText={trouble}
          slotProps={{
            htmlInput: {
              "aria-label": "Name",
              "data-test": "name",
              onFocus: (event: React.FocusEvent<HTMLInputElement>) => event.target.select(),
            },
            formHelperText: { role: "alert" },
          }}
        />
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!fits} loading={busy} onClick={() => void accept()}>
          {act}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
