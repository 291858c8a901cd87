// All keys, searchable.
import { Box, Dialog, DialogContent, TextField, Typography } from "@mui/material";
import { useState } from "react";
import { shortcuts } from "../project/keys";
import { set, useApp } from "../model/state";

const matches = (text: string, wanted: string) =>
  wanted.split(/\s+/).every((word) => text.toLowerCase().includes(word));

export function ShortcutSheet() {
  const open = useApp((state) => state.shortcuts);
  const [wanted, setWanted] = useState("");
  const found = shortcuts.filter(
    ({ shown, says, group }) => says !== "" && matches(`${shown} ${says} ${group}`, wanted.trim().toLowerCase()),
  );
  const groups = [...new Set(found.map(({ group }) => group))];
  return (
    <Dialog
      open={open}
      onClose={() => set({ shortcuts: false })}
      maxWidth="lg"
      fullWidth
      data-test="shortcuts"
      slotProps={{ transition: { onExited: () => setWanted("") } }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, px: 3, pt: 2.5 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Keys
        </Typography>
        <TextField
          size="small"
          placeholder="Search: radius, camera, undo…"
          value={wanted}
          onChange={(event) => setWanted(event.target.value)}
          autoFocus
          sx={{ width: 280 }}
          slotProps={{ htmlInput: { "aria-label": "Search the keys" } }}
        />
      </Box>
      <DialogContent sx={{ pt: 2 }}>
        <Box sx={{ columnCount: 3, columnGap: 4 }}>
          {groups.map((group) => (
            <Box key={group} sx={{ breakInside: "avoid", mb: 2 }}>
              <Typography variant="h3" sx={{ mb: 0.5 }}>
                {group}
              </Typography>
              {found
                .filter((each) => each.group === group)
                .map(({ shown, says }) => (
                  <Box
                    key={shown}
                    sx={{
                      display: "flex",
                      gap: 1.5,
                      py: 0.4,
                      borderTop: 1,
                      borderColor: "divider",
                      borderTopStyle: "dotted",
                    }}>
                    <Typography
                      variant="body2"
                      component="kbd"
                      sx={{ width: 98, flexShrink: 0, fontWeight: 700, fontFamily: "inherit" }}>
                      {shown}
                    </Typography>
                    <Typography variant="body2" color="textSecondary">
                      {says}
                    </Typography>
                  </Box>
                ))}
            </Box>
          ))}
        </Box>
        {found.length === 0 && (
          <Typography variant="body2" color="textSecondary">
            No key does “{wanted}”. Try another word.
          </Typography>
        )}
      </DialogContent>
    </Dialog>
  );
}
