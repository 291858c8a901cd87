// The numbers of a step's source.
import { Box, Typography } from "@mui/material";
import { ColorWell } from "../../widgets/ColorWell";
import { Row, Sliding } from "../../widgets/rows";
import type { Project } from "../../project/project";
import { useApp, type ColorSet, type Part, snapshotNames } from "../../model/state";
import { hex } from "../../model/words";
import { families, type Source } from "../../model/sources";
import { ChanceFields } from "./sources/ChanceFields";
import { ChannelField } from "./sources/ChannelField";
import { FormFields } from "./sources/FormFields";
import { FromPartField } from "./sources/FromPartField";
import { ImageField } from "./sources/ImageField";
import { PieceFields } from "./sources/PieceFields";
import { PlaceFields } from "./sources/PlaceFields";
import { vec, type FieldsProps } from "./sources/rows";
import { WeatherFields } from "./sources/WeatherFields";

interface Props extends FieldsProps {
  set: ColorSet;
  project: Project;
}

/** The fields of each family of sources that share some. */
const fieldsOf = {
  form: FormFields,
  place: PlaceFields,
  ways: PlaceFields,
  weather: WeatherFields,
  chance: ChanceFields,
  given: GivenFields,
} as const;

export function SourceFields(props: Props) {
  const family = families.find(({ kinds }) => (kinds as readonly string[]).includes(props.source.kind));
  const Fields = fieldsOf[family?.key ?? "given"];
  return <Fields {...props} />;
}

function GivenFields({ source, part, set: own, project, onChange }: Props) {
  const parts = useApp((state) => state.parts);
  const turn = (next: Source) => onChange(next, true);
  switch (source.kind) {
    case "image":
      return <ImageField source={source} part={part} project={project} onChange={onChange} />;
    case "channel":
      return <ChannelField source={source} part={part} set={own} onChange={onChange} />;
    case "from_part":
      return <FromPartField source={source} part={part} onChange={onChange} />;
    case "constant":
      return (
        <Sliding
          label="Number"
          value={source.value}
          min={0}
          max={1}
          step={0.01}
          digits={2}
          onChange={(value) => turn({ ...source, value })}
        />
      );
    case "color": {
      const [r, g, b] = vec(source.color);
      return (
        <Row label="Color">
          <ColorWell
            color={[r, g, b, 1]}
            mark="step-color"
            size={32}
            withAlpha={false}
            onChange={(color) => turn({ ...source, color: color.slice(0, 3) })}
          />
        </Row>
      );
    }
    case "material":
      if (part.materials.length > 0) return <MaterialList materials={part.materials} />;
      return (
        <Typography variant="caption" color="textSecondary">
          {part.sets.some((each) => each.name === "Material")
            ? "Taken from the set Material, which the file brought."
            : `${part.name} brought no colors of materials; a set called Material would serve as well.`}
        </Typography>
      );
    case "pivot":
    case "piece_number":
      return <PieceFields source={source} part={part} onChange={onChange} />;
    case "hand_paint":
      return (
        <Typography variant="caption" color="textSecondary">
          Paint into {own.name} in Paint: it lands here, over what the steps above make. Erasing shows them again.
          {snapshotNames(parts).length > 0 ? " Snapshots keep both." : ""}
        </Typography>
      );
    default:
      return null;
  }
}

/** What the part's surfaces are made of, as its file said. */
function MaterialList({ materials }: { materials: Part["materials"] }) {
  return (
    <Box component="ul" data-test="materials" sx={{ m: 0, p: 0, listStyle: "none", display: "grid", gap: 0.5 }}>
      {materials.map((material, i) => (
        <Box component="li" key={i} sx={{ display: "flex", alignItems: "center", gap: 1, minWidth: 0 }}>
          <Box
            sx={{
              width: 14,
              height: 14,
              flex: "none",
              borderRadius: "50%",
              border: 1,
              borderColor: "divider",
              bgcolor: hex(material.color),
            }}
          />
          <Typography variant="body2" noWrap title={material.name}>
            {material.name || "without a name"}
          </Typography>
          {material.image && (
            <Typography variant="caption" color="textSecondary" noWrap title={material.image}>
              × image {material.image}
            </Typography>
          )}
        </Box>
      ))}
    </Box>
  );
}
