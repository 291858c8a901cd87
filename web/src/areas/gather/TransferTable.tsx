// Which sets and channels of the source go where.
import { Box, Checkbox, MenuItem, Select, Typography } from "@mui/material";
import type { Schemas } from "../../api/client";
import type { Part } from "../../model/state";

type Row = Schemas["TransferRow"];

const LETTERS = ["R", "G", "B", "A"];
const NEW = "new";

/** Every set there, with where it goes; one that goes nowhere is not ticked. */
export function TransferTable({
  part,
  from,
  proposal,
  rows,
  shown,
  onShow,
  onChange,
}: {
  part: Part;
  /** The names of the source's sets. */
  from: string[];
  /** Where each would go by itself. */
  proposal: Row[];
  rows: Row[];
  /** Which row stands on the stage. */
  shown: number;
  onShow: (row: number) => void;
  onChange: (rows: Row[]) => void;
}) {
  const put = (name: string, row: Row | null) => {
    const others = from.flatMap((other) => {
      const own = other === name ? row : (rows.find((each) => each.from === other) ?? null);
      return own ? [own] : [];
    });
    onChange(others);
  };
  const small = { fontSize: 12.5, fontWeight: 600, "& .MuiSelect-select": { py: 0.125, pr: "18px !important" } };
  return (
    <Box data-test="transfer-table" sx={{ display: "grid", gap: 0.5 }}>
      {from.map((name) => {
        const row = rows.find((each) => each.from === name);
        const nth = row ? rows.indexOf(row) : -1;
        const fresh = proposal.find((each) => each.from === name) ?? null;
        return (
          <Box
            key={name}
            sx={{
              borderTop: 1,
              borderColor: "divider",
              borderTopStyle: "dashed",
              pt: 0.25,
              bgcolor:
                nth >= 0 && nth === shown
                  ? "color-mix(in srgb, var(--mui-palette-secondary-main) 8%, transparent)"
                  : undefined,
            }}
            onClick={() => nth >= 0 && onShow(nth)}>
            <Box sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
              <Checkbox
                size="small"
                checked={row !== undefined}
                onChange={(event) => put(name, event.target.checked ? fresh : null)}
                slotProps={{ input: { "aria-label": `Carry ${name}` } }}
                sx={{ p: 0.25 }}
              />
              <Typography variant="body2" noWrap sx={{ flex: 1, minWidth: 0, fontWeight: 650 }}>
                {name}
              </Typography>
              <Typography variant="caption" color="textSecondary">
                into
              </Typography>
              <Select
                variant="standard"
                disableUnderline
                disabled={!row}
                value={row?.to ?? NEW}
                onChange={(event) => {
                  const to = event.target.value;
                  const own = part.sets.find((set) => set.id === to);
                  if (row)
                    put(name, {
                      from: name,
                      name: own?.name ?? name,
                      placement: own?.placement ?? row.placement,
                      channels: row.channels,
                      ...(own && { to: own.id }),
                    });
                }}
                inputProps={{ "aria-label": `${name} goes into` }}
                sx={{ ...small, maxWidth: 120 }}>
                {part.sets.map((set) => (
                  <MenuItem key={set.id} value={set.id} dense>
                    {set.name}
                  </MenuItem>
                ))}
                <MenuItem value={NEW} dense>
                  a new set
                </MenuItem>
              </Select>
            </Box>
            {row && (
              <Box sx={{ display: "flex", gap: 1, pl: 3.5, pb: 0.25 }}>
                {LETTERS.map((letter, channel) => (
                  <Box key={letter} sx={{ display: "flex", alignItems: "baseline", gap: 0.5 }}>
                    <Typography variant="caption" color="textSecondary">
                      {letter}
                    </Typography>
                    <Select
                      variant="standard"
                      disableUnderline
                      value={row.channels[channel] ?? -1}
                      onChange={(event) => {
                        const channels = [...row.channels];
                        channels[channel] = Number(event.target.value) < 0 ? null : Number(event.target.value);
                        put(name, { ...row, channels });
                      }}
                      inputProps={{ "aria-label": `${letter} of ${row.name} comes from` }}
                      sx={small}>
                      {LETTERS.map((from, i) => (
                        <MenuItem key={from} value={i} dense>
                          {from}
                        </MenuItem>
                      ))}
                      <MenuItem value={-1} dense>
                        stays
                      </MenuItem>
                    </Select>
                  </Box>
                ))}
              </Box>
            )}
          </Box>
        );
      })}
    </Box>
  );
}
