// A look as shading code, to be read, copied, or taken as a file.
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { lookCode, lookFile } from "../../api/writes";
import { set } from "../../model/state";
import type { ProofLook } from "../../model/proof";
import { toBrowser } from "../../widgets/handOver";

type Language = Schemas["ShadingLanguage"];

const languages = [
  ["glsl", "GLSL"],
  ["hlsl", "HLSL"],
  ["wgsl", "WGSL"],
] as const satisfies readonly (readonly [Language, string])[];

export function CodeDialog({ look, onClose }: { look: ProofLook; onClose: () => void }) {
  const [language, setLanguage] = useState<Language>("glsl");
  const [code, setCode] = useState<Schemas["LookCode"] | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  useEffect(() => {
    let isWanted = true;
    void lookCode({ look, language }).then(({ data, trouble }) => {
      if (!isWanted) return;
      setCode(data);
      setTrouble(trouble);
    });
    return () => {
      isWanted = false;
    };
  }, [look, language]);
  const take = async () => {
    const { trouble } = await toBrowser(await lookFile({ look, language }), `look.${language}`);
    setTrouble(trouble);
  };
  const copy = () => {
    void navigator.clipboard.writeText(code?.text ?? "").then(
      () => set({ said: { text: "Copied.", bad: false } }),
      () => setTrouble("The browser does not let the page copy: take it as a file."),
    );
  };
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>{look.name} as code</DialogTitle>
      <DialogContent>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={language}
          onChange={(_, next: Language | null) => next && setLanguage(next)}>
          {languages.map(([key, title]) => (
            <ToggleButton key={key} value={key} data-test={`code-${key}`} sx={{ py: 0.25 }}>
              {title}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Typography variant="body2" color="textSecondary" sx={{ my: 1 }}>
          A function that takes the stored numbers of the sets
          {code && code.sets.length > 0 ? ` ${code.sets.join(", ")}` : ""} and gives color in linear light, roughness,
          metal and glow: what the stage shows is made by it.
        </Typography>
        {trouble && <Alert severity="error">{trouble}</Alert>}
        <Box
          component="pre"
          data-test="code"
          tabIndex={0}
          sx={{
            m: 0,
            p: 1.5,
            maxHeight: 380,
            overflow: "auto",
            fontSize: 12,
            borderRadius: 2,
            bgcolor: "background.default",
            fontFamily: "monospace",
          }}>
          {code?.text}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={copy} disabled={!code}>
          Copy
        </Button>
        <Button color="inherit" data-test="code-file" onClick={() => void take()} disabled={!code}>
          As a file
        </Button>
        <Button variant="contained" onClick={onClose}>
          Done
        </Button>
      </DialogActions>
    </Dialog>
  );
}
