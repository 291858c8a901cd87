// Asks for one name.
import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from "@mui/material";
import { useState } from "react";

interface Props {
  title: string;
  name: string;
  act: string;
  onName: (name: string) => void;
  onClose: () => void;
}

export function NameDialog({ title, name, act, onName, onClose }: Props) {
  const [typed, setTyped] = useState(name);
  const fits = typed.trim() !== "";
  const accept = () => {
    if (!fits) return;
    onName(typed.trim());
    onClose();
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth onKeyDown={(event) => {
      event.stopPropagation();
      // On a button Enter presses that button.
      if (event.key !== "Enter" || (event.target as HTMLElement).closest("button")) return;
      // Or the key would press whatever has the focus when the dialog is gone.
      event.preventDefault();
      accept();
    }}>
      <DialogTitle>{title}</DialogTitle>
      <DialogContent><TextField value={typed} onChange={(event) => setTyped(event.target.value)} autoFocus fullWidth size="small" slotProps={{ htmlInput: { "aria-label": "Name", "data-test": "name", onFocus: (event: React.FocusEvent<HTMLInputElement>) => event.target.select() } }} /></DialogContent>
      <DialogActions><Button color="inherit" onClick={onClose}>Cancel</Button><Button variant="contained" disabled={!fits} onClick={accept}>{act}</Button></DialogActions>
    </Dialog>
  );
}
