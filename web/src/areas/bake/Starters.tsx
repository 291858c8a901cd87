// Good recipes to start from, for channels that have none yet.
import { Box, Button, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import { api, type Schemas } from "../../api/client";
import { takeRecipes } from "../../api/writes";
import type { Project } from "../../project/project";
import { set as setState, type Part } from "../../model/state";
import { targetChannels, targetWords, type Chosen } from "../../model/recipes";

export function Starters({ project, part, chosen }: { project: Project; part: Part; chosen: Chosen }) {
  const [files, setFiles] = useState<Schemas["RecipeFile"][]>([]);
  const { set, target } = chosen;
  useEffect(() => {
    let wanted = true;
    void api.GET("/api/v1/recipes").then(({ data }) => {
      if (wanted && data) setFiles(data);
    });
    return () => {
      wanted = false;
    };
  }, []);
  const wholeSet = async (file: Schemas["RecipeFile"]) => {
    const { trouble } = await takeRecipes(project.id, part.id, new Blob([JSON.stringify(file)]));
    setState({
      said:
        trouble !== null
          ? { text: trouble, bad: true }
          : { text: `${file.name} makes the set ${file.set} of ${part.name} now.`, bad: false },
    });
  };
  return (
    <Box sx={{ mt: 1 }}>
      <Typography variant="body2" color="textSecondary">
        {targetWords(target)} of {set.name} has no recipe{set.recipes.length > 0 ? "" : " yet"}. Choose a source in the
        tray for its first step, or start from one of these:
      </Typography>
      {files.map((file) => {
        const [first, ...others] = file.recipes;
        const fits =
          first &&
          others.length === 0 &&
          (first.channels.length === 1) === (target.length === 1) &&
          !first.steps.some((step) => step.source.kind === "channel" && step.source.set === file.set);
        return (
          <Box
            key={file.name}
            data-test="starter"
            sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 0.75, mt: 0.75 }}>
            <Typography variant="h3" component="h3" sx={{ fontSize: 14 }}>
              {file.name}
            </Typography>
            <Typography variant="caption" color="textSecondary" sx={{ display: "block", lineHeight: 1.3 }}>
              {file.note}
            </Typography>
            <Box sx={{ display: "flex", gap: 0.5, ml: -0.5 }}>
              {fits && (
                <Button
                  size="small"
                  color="secondary"
                  onClick={() =>
                    void project.edit({
                      type: "set_recipe",
                      part: part.id,
                      set: set.id,
                      recipe: { ...first, name: first.name || file.name, channels: target },
                    })
                  }>
                  Into {set.name} · {targetWords(target)}
                </Button>
              )}
              <Button size="small" color="secondary" onClick={() => void wholeSet(file)}>
                As the set {file.set}, {file.recipes.map((recipe) => targetWords(recipe.channels)).join(" ")}
              </Button>
            </Box>
          </Box>
        );
      })}
      {set.recipes.length === 0 && set.channels.some((channel, i) => channel.locked && targetChannels[target][i]) && (
        <Typography variant="caption" sx={{ color: "warning.main" }}>
          A channel of it is locked: unlock it on the board first.
        </Typography>
      )}
    </Box>
  );
}
