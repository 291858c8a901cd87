// What a print takes, now and with what is chosen to be mended.
import { Box, Typography } from "@mui/material";
import type { Schemas } from "../../api/client";
import { count, duration, figure } from "../../model/words";
import type { Told } from "./layersInHand";

export function Costs({ told, then }: { told: Told; then: Schemas["WithRemedies"] | null }) {
  const now = told.estimate;
  const with_ = then?.estimate;
  const rows: [string, string, string | null, boolean][] = [
    [
      "Spool changes",
      count(told.plan.changes),
      then && count(then.changes),
      !!then && then.changes < told.plan.changes,
    ],
    ["Purged", grams(now.grams_purged), with_ ? grams(with_.grams_purged) : null, !!with_ && with_.purged < now.purged],
    ["Printing", duration(now.seconds), with_ ? duration(with_.seconds) : null, !!with_ && with_.seconds < now.seconds],
    ["Material", grams(now.grams), with_ ? grams(with_.grams) : null, !!with_ && with_.grams < now.grams],
    ...(now.price > 0
      ? [
          [
            "Price",
            now.price.toFixed(2),
            with_ ? with_.price.toFixed(2) : null,
            !!with_ && with_.price < now.price,
          ] as [string, string, string | null, boolean],
        ]
      : []),
  ];
  return (
    <>
      <Box sx={{ display: "flex", color: "text.secondary", fontSize: 12 }}>
        <Box sx={{ flex: 1 }}>
          {figure(told.height)} mm high{inScale(told.scale)} · {count(told.plan.layers.length)} layers
        </Box>
        {then && <Box sx={{ width: 84, textAlign: "right" }}>with ✓</Box>}
      </Box>
      {rows.map(([title, value, other, isLess]) => (
        <Box
          key={title}
          sx={{ display: "flex", borderBottom: 1, borderColor: "divider", borderBottomStyle: "dashed", py: 0.5 }}>
          <Typography variant="body2" color="textSecondary" sx={{ flex: 1 }}>
            {title}
          </Typography>
          <Typography
            variant="body2"
            sx={{ fontWeight: 700 }}
            data-test={title === "Spool changes" ? "changes-now" : undefined}>
            {value}
          </Typography>
          {then && (
            <Typography
              variant="body2"
              data-test={title === "Spool changes" ? "changes-then" : undefined}
              sx={{ width: 84, textAlign: "right", fontWeight: 700, color: isLess ? "success.main" : undefined }}>
              {other}
            </Typography>
          )}
        </Box>
      ))}
    </>
  );
}

const grams = (g: number) => `${g < 10 ? g.toFixed(1) : figure(g)} g`;

/** As models are said to be scaled; nothing where they stand as they are. */
const inScale = (by: number) =>
  Math.abs(by - 1) < 1e-6 ? "" : by < 1 ? `, 1 : ${figure(1 / by)}` : `, ${figure(by)} : 1`;
