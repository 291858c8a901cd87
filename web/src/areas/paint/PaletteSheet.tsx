// The project's one palette: named colors in order, the first nine under the keys 1 to 9.
import { Box, Button, ButtonBase, IconButton, InputBase, Tooltip, Typography } from "@mui/material";
import { useRef } from "react";
import type { Schemas } from "../../api/client";
import { sendPalette } from "../../api/writes";
import type { Project } from "../../project/project";
import { set, useApp } from "../../model/state";
import { hex } from "../../model/words";

type Swatch = Schemas["Swatch"];

export function PaletteSheet({ project }: { project: Project }) {
  const swatches = useApp((state) => state.swatches);
  const paint = useApp((state) => state.paint);
  const picker = useRef<HTMLInputElement>(null);
  const put = (next: Swatch[]) => void project.edit({ type: "set_palette", swatches: next });
  const take = async (file: File | undefined) => {
    if (picker.current) picker.current.value = "";
    if (!file) return;
    const { trouble } = await sendPalette(project.id, file);
    set({
      said:
        trouble !== null
          ? { text: `${file.name}: ${trouble}`, bad: true }
          : { text: `The palette is that of ${file.name} now. Undo brings the old one back.`, bad: false },
    });
  };
  const move = (from: number, to: number) => {
    const next = swatches.filter((_, i) => i !== from);
    const moved = swatches[from];
    if (moved) put([...next.slice(0, to), moved, ...next.slice(to)]);
  };
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "center", mb: 0.5 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          Palette
        </Typography>
        <Button
          size="small"
          color="secondary"
          data-test="palette-add"
          onClick={() => put([...swatches, { name: "", color: paint.slice(0, 3) }])}>
          + Add the paint
        </Button>
      </Box>
      {swatches.length === 0 && (
        <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
          No color yet. Add the paint, or read a palette from a file: lines of “r g b name”, or JSON.
        </Typography>
      )}
      <Box sx={{ maxHeight: 300, overflowY: "auto" }}>
        {swatches.map((swatch, i) => (
          <Box
            key={i}
            data-test="palette-row"
            sx={{
              display: "flex",
              alignItems: "center",
              gap: 1,
              borderTop: 1,
              borderColor: "divider",
              borderTopStyle: "dashed",
              py: 0.25,
            }}>
            <Typography variant="caption" color="textSecondary" sx={{ width: 14, textAlign: "right" }}>
              {i + 1}
            </Typography>
            <ButtonBase
              aria-label={`Paint with ${swatch.name || hex(swatch.color)}`}
              onClick={() =>
                set({ paint: [swatch.color[0] ?? 0, swatch.color[1] ?? 0, swatch.color[2] ?? 0, paint[3]] })
              }
              sx={{
                width: 24,
                height: 24,
                borderRadius: "50%",
                bgcolor: hex(swatch.color),
                border: 1,
                borderColor: "divider",
                flexShrink: 0,
              }}
            />
            <InputBase
              key={swatch.name}
              defaultValue={swatch.name}
              placeholder={hex(swatch.color)}
              inputProps={{ "aria-label": `Name of color ${i + 1}`, maxLength: 80, style: { padding: 0 } }}
              sx={{ flex: 1, fontSize: 13 }}
              onKeyDown={(event) => {
                event.stopPropagation();
                if (event.key === "Enter") (event.target as HTMLElement).blur();
              }}
              onBlur={(event) => {
                const name = event.target.value.trim();
                if (name !== swatch.name) put(swatches.map((each, j) => (j === i ? { ...each, name } : each)));
              }}
            />
            <Tooltip title="Put the paint here">
              <IconButton
                size="small"
                aria-label={`Put the paint in place of color ${i + 1}`}
                onClick={() => put(swatches.map((each, j) => (j === i ? { ...each, color: paint.slice(0, 3) } : each)))}
                sx={{ p: 0.25, fontSize: 14 }}>
                ●
              </IconButton>
            </Tooltip>
            <IconButton
              size="small"
              aria-label={`Move color ${i + 1} up`}
              disabled={i === 0}
              onClick={() => move(i, i - 1)}
              sx={{ p: 0.25, fontSize: 14 }}>
              ↑
            </IconButton>
            <IconButton
              size="small"
              aria-label={`Move color ${i + 1} down`}
              disabled={i === swatches.length - 1}
              onClick={() => move(i, i + 1)}
              sx={{ p: 0.25, fontSize: 14 }}>
              ↓
            </IconButton>
            <IconButton
              size="small"
              aria-label={`Delete color ${i + 1}`}
              onClick={() => put(swatches.filter((_, j) => j !== i))}
              sx={{ p: 0.25, fontSize: 16 }}>
              ×
            </IconButton>
          </Box>
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 0.5, mt: 1, flexWrap: "wrap" }}>
        <Button size="small" variant="outlined" color="inherit" onClick={() => picker.current?.click()}>
          Read a file…
        </Button>
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          href={`/api/v1/projects/${project.id}/palette?form=text`}
          disabled={swatches.length === 0}>
          Write text
        </Button>
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          href={`/api/v1/projects/${project.id}/palette?form=json`}
          disabled={swatches.length === 0}>
          Write JSON
        </Button>
      </Box>
      <input
        ref={picker}
        type="file"
        accept=".txt,.json,text/plain,application/json"
        hidden
        data-test="palette-file"
        onChange={(event) => void take(event.target.files?.[0])}
      />
    </>
  );
}
