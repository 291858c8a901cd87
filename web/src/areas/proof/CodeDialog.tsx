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
import { lookCode, lookFile, lookNodes } from "../../api/writes";
import { set } from "../../model/state";
import type { ProofLook } from "../../model/proof";
import { toBrowser } from "../../widgets/handOver";

/** MaterialX is no language of functions, and comes as a document of nodes. */
type Language = Schemas["ShadingLanguage"] | "mtlx";

const languages = [
  ["glsl", "GLSL"],
  ["hlsl", "HLSL"],
  ["wgsl", "WGSL"],
  ["mtlx", "MaterialX"],
] as const satisfies readonly (readonly [Language, string])[];

/** All of a look in a language, to be read. */
async function written(order: Schemas["LookOrder"], language: Language): Promise<[string | null, string | null]> {
  if (language === "mtlx") {
    const { data, trouble } = await lookNodes(order);
    return [data, trouble];
  }
  const { data, trouble } = await lookCode(order);
  return [data && [data.text, data.motion?.text ?? ""].filter(Boolean).join("\n"), trouble];
}

export function CodeDialog({ project, look, onClose }: { project: number; look: ProofLook; onClose: () => void }) {
  const [language, setLanguage] = useState<Language>("glsl");
  const [code, setCode] = useState<string | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const order = { look, project, language: language === "mtlx" ? "glsl" : language } as const;
  useEffect(() => {
    let isWanted = true;
    const asked = { look, project, language: language === "mtlx" ? "glsl" : language } as const;
    void written(asked, language).then(([text, trouble]) => {
      if (!isWanted) return;
      setCode(text);
      setTrouble(trouble);
    });
    return () => {
      isWanted = false;
    };
  }, [look, project, language]);
  const take = async () => {
    const answer = await lookFile(order, language === "mtlx" ? "nodes" : "file");
    const { trouble } = await toBrowser(answer, `look.${language}`);
    setTrouble(trouble);
  };
  const copy = () => {
    void navigator.clipboard.writeText(code ?? "").then(
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
          {language === "mtlx"
            ? "A surface of the standard library’s nodes, with a few that are defined in it. Motion has no place there."
            : "A function that takes the stored numbers of sets and gives color in linear light, roughness, metal and glow, and one that moves, where it moves: what the stage shows is made by them."}
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
          {code}
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
