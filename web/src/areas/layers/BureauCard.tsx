// A full-color print by the bureau: what is looked at before, what it costs, orders and how far they are.
import { Alert, Box, Button, InputBase, Paper, Typography } from "@mui/material";
import { useCallback, useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { bureauNow, cancelOrder, newWord, orderParts, quoteOf } from "../../api/writes";
import { set, useApp } from "../../model/state";
import { count, figure } from "../../model/words";
import type { Project } from "../../project/project";
import { Choose } from "../../widgets/rows";
import { useShare, Working } from "../../widgets/waiting";
import type { Told } from "./layersInHand";
import { showPlace } from "./showPlace";

type Bureau = Schemas["BureauTold"];
type Quote = Schemas["QuoteTold"];

/** How often orders are asked for, in milliseconds. */
const OFTEN = 5000;

export function BureauCard({ told, project }: { told: Told; project: Project }) {
  const parts = useApp((state) => state.parts);
  const [bureau, setBureau] = useState<Bureau | null>(null);
  const [chosen, setChosen] = useState<string | null>(null);
  const [quantities, setQuantities] = useState<Record<number, string>>({});
  const [quote, setQuote] = useState<{ of: string; told: Quote } | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [work, setWork] = useState<string | null>(null);
  const share = useShare(work);
  const ask = useCallback(() => {
    void bureauNow().then(({ data }) => {
      if (data) setBureau(data);
    });
  }, []);
  useEffect(() => {
    ask();
    const timer = setInterval(ask, OFTEN);
    return () => clearInterval(timer);
  }, [ask]);
  if (!bureau?.is_there) return null;
  const material = bureau.materials.find((own) => own.key === chosen) ?? bureau.materials[0];
  const visible = parts.filter((part) => part.visible);
  const quantityOf = (part: number) => Number(quantities[part] ?? "1");
  const wanted = visible.filter((part) => quantityOf(part.id) > 0);
  const order: Schemas["QuoteOrder"] | null = material
    ? {
        items: wanted.map((part) => ({ part: part.id, material: material.key, quantity: quantityOf(part.id) })),
        scale: told.scale,
        wall: material.wall,
        drain: material.drain,
      }
    : null;
  const isSound =
    wanted.length > 0 && visible.every((part) => Number.isInteger(quantityOf(part.id)) && quantityOf(part.id) >= 0);
  // A price is for what was asked, of the shapes as they were then; paint costs nothing.
  const asked = JSON.stringify([order, visible.map(({ mesh, matrix }) => [mesh, matrix])]);
  const shown = quote?.of === asked ? quote.told : null;
  const price = async () => {
    if (!order) return;
    const word = newWord();
    setWork(word);
    const { data, trouble } = await quoteOf(project.id, order, { signal: new AbortController().signal, work: word });
    setWork(null);
    setTrouble(trouble);
    setQuote(data && { of: asked, told: data });
  };
  const place = async () => {
    if (!order) return;
    const { trouble } = await orderParts(project.id, order);
    setTrouble(trouble);
    if (trouble === null) set({ said: { text: "Ordered: the bureau has read the files.", bad: false } });
    ask();
  };
  const cancel = async (id: number) => {
    const { trouble } = await cancelOrder(id);
    if (trouble !== null) set({ said: { text: trouble, bad: true } });
    ask();
  };
  return (
    <Paper variant="outlined" component="section" aria-label="Full color" sx={{ p: 1.75, borderRadius: 4 }}>
      <Typography variant="h2">Full color, by the bureau</Typography>
      {bureau.trouble && <Alert severity="warning">{bureau.trouble}</Alert>}
      {material && (
        <>
          <Choose
            label="Material"
            value={material.key}
            options={bureau.materials.map((own) => [own.key, `${own.name}${own.colored ? "" : ", no color"}`] as const)}
            onChange={setChosen}
          />
          {visible.map((part) => {
            const item = shown?.items.find((own) => own.part === part.id);
            return (
              <Box key={part.id} sx={{ borderTop: 1, borderColor: "divider", borderTopStyle: "dashed", py: 0.5 }}>
                <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
                  <Typography variant="body2" noWrap sx={{ flex: 1, minWidth: 0, fontWeight: 700 }}>
                    {part.name}
                  </Typography>
                  <InputBase
                    value={quantities[part.id] ?? "1"}
                    onChange={(event) => setQuantities({ ...quantities, [part.id]: event.target.value })}
                    onKeyDown={(event) => event.stopPropagation()}
                    inputProps={{ "aria-label": `How many of ${part.name}`, style: { textAlign: "right", padding: 0 } }}
                    sx={{ width: 44, fontSize: 13, border: 1, borderColor: "divider", borderRadius: 1, px: 0.75 }}
                  />
                  <Typography variant="body2" sx={{ width: 64, textAlign: "right", fontWeight: 700 }}>
                    {item && !item.refusal ? item.price.toFixed(2) : ""}
                  </Typography>
                </Box>
                {item && <Checks item={item} material={material} onShow={(place) => showPlace(project, told, place)} />}
              </Box>
            );
          })}
          {trouble && (
            <Alert severity="error" data-test="bureau-trouble">
              {trouble}
            </Alert>
          )}
          {shown && (
            <Box sx={{ display: "flex", borderTop: 1, borderColor: "divider", py: 0.5 }}>
              <Typography variant="body2" sx={{ flex: 1 }}>
                Together
              </Typography>
              <Typography variant="body2" data-test="quote-total" sx={{ fontWeight: 700 }}>
                {shown.total.toFixed(2)} {shown.currency}
              </Typography>
            </Box>
          )}
          <Working busy={work !== null} share={share} onCancel={null} />
          <Box sx={{ display: "flex", gap: 1 }}>
            <Button
              size="small"
              variant="outlined"
              color="inherit"
              data-test="quote"
              disabled={!isSound || work !== null}
              onClick={() => void price()}>
              Ask for the price
            </Button>
            <Button
              size="small"
              variant="contained"
              data-test="order"
              disabled={!shown || shown.items.some((item) => item.refusal != null)}
              onClick={() => void place()}>
              Order
            </Button>
          </Box>
        </>
      )}
      {[...bureau.orders]
        .reverse()
        .slice(0, 4)
        .map((own) => (
          <Box key={own.id} data-test="bureau-order" sx={{ display: "flex", alignItems: "center", gap: 1, mt: 0.75 }}>
            <Box sx={{ flex: 1, minWidth: 0 }}>
              <Typography variant="body2" noWrap>
                {own.quantity} × {own.name}, {own.price.toFixed(2)}: <b>{own.state}</b>
              </Typography>
              <Typography variant="caption" color="textSecondary">
                It read {count(own.read.triangles)} triangles{own.read.colored ? " with color" : ""},{" "}
                {figure(own.read.volume)} cm³
              </Typography>
            </Box>
            {(own.state === "taken" || own.state === "printing") && (
              <Button
                size="small"
                color="inherit"
                data-test="cancel-order"
                onClick={() => void cancel(own.id)}
                sx={{ py: 0, minWidth: 0 }}>
                Cancel
              </Button>
            )}
          </Box>
        ))}
    </Paper>
  );
}

/** What was looked at of a part. */
function Checks({
  item,
  material,
  onShow,
}: {
  item: Schemas["QuotedItem"];
  material: Schemas["BureauMaterial"];
  onShow: (place: number[]) => void;
}) {
  const { checks } = item;
  const size = checks.size.map((x) => figure(x)).join(" × ");
  return (
    <Box data-test="checks">
      <Typography variant="caption" color="textSecondary" component="p">
        {size} mm · {figure(checks.volume / 1000)} cm³ · {figure(checks.area / 100)} cm²
        {checks.thinnest != null && ` · walls from ${figure(checks.thinnest)} mm`}
        {checks.narrowest != null && ` · gaps from ${figure(checks.narrowest)} mm`}
      </Typography>
      {!checks.watertight && <Wrong>It is not closed: mend the holes in Gather first.</Wrong>}
      {checks.watertight && checks.volume < 0 && <Wrong>It is inside out: turn its faces in Gather, Mend.</Wrong>}
      {checks.thin > 0 && (
        <Wrong>
          {figure(100 * checks.thin)} % of it is thinner than {material.wall} mm.
        </Wrong>
      )}
      {checks.hollows.map((hollow) => (
        <Box key={hollow.place.join(" ")} data-test="hollow" sx={{ display: "flex", alignItems: "center", gap: 0.75 }}>
          <Box sx={{ flex: 1, minWidth: 0 }}>
            <Wrong>
              A hollow of {figure(hollow.volume / 1000)} cm³{" "}
              {hollow.way_out == null
                ? `has no way out: what is left in it needs a hole, ${material.drain} mm wide.`
                : `drains through ${figure(hollow.way_out)} mm; ${material.drain} mm is wanted.`}
            </Wrong>
          </Box>
          <Button
            size="small"
            color="inherit"
            aria-label={`Show the hollow of ${figure(hollow.volume / 1000)} cm³`}
            onClick={() => onShow(hollow.place)}
            sx={{ py: 0, minWidth: 0 }}>
            Show
          </Button>
        </Box>
      ))}
      {checks.trapped > 0 && checks.hollows.length === 0 && (
        <Wrong>
          {count(checks.trapped)} {checks.trapped === 1 ? "shell lies" : "shells lie"} within it,{" "}
          {figure(checks.trapped_volume / 1000)} cm³: what is in there needs a hole to get out.
        </Wrong>
      )}
      {item.refusal && (
        <Typography variant="body2" color="error" data-test="refusal">
          {item.refusal}
        </Typography>
      )}
    </Box>
  );
}

function Wrong({ children }: { children: React.ReactNode }) {
  return (
    <Typography variant="caption" component="p" sx={{ color: "warning.main", fontWeight: 700 }}>
      {children}
    </Typography>
  );
}
