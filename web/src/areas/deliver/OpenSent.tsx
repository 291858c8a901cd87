// What was sent, in a clean view: read by three.js' own loaders, shown as they show it, and compared.
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  LinearProgress,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { useEffect, useRef, useState } from "react";
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { packedFile } from "../../api/writes";
import type { Project } from "../../project/project";
import { get } from "../../model/state";
import { count } from "../../model/words";
import { stageGrey } from "../../model/theme";
import { useDelivery, type Recipient } from "./delivery";
import type { Comparison, Corners } from "./comparing";
import { calledIn, cornersOf, load, type Going, type Owner, type Sent } from "./loaded";

interface Opened extends Comparison {
  file: string;
  root: THREE.Object3D | null;
  owners: Owner[];
}

/** One file of the delivery, as it would go out. */
async function fetchFile(
  project: number,
  recipient: Recipient,
  number: number,
  name: string,
  signal: AbortSignal,
): Promise<Sent> {
  const { data, trouble } = await packedFile(project, recipient, number, signal);
  signal.throwIfAborted();
  if (trouble !== null) throw new Error(trouble);
  return { name, bytes: await data.arrayBuffer() };
}

/** What the stage holds of the sets that go along, corner by corner. */
function held(project: Project, going: Going[], visibleOnly: boolean): Corners {
  const pieces = get()
    .parts.filter((part) => part.visible || !visibleOnly)
    .flatMap((part) => {
      const surface = project.stage.surfaces.get(part.id);
      return surface ? [{ part, places: surface.cornerPlaces(), surface }] : [];
    });
  const all = pieces.reduce((sum, piece) => sum + piece.places.length / 3, 0);
  const positions = new Float32Array(3 * all);
  const sets = new Map(going.map((each) => [each.name, new Float32Array(4 * all).fill(1)]));
  let at = 0;
  for (const { part, places, surface } of pieces) {
    positions.set(places, 3 * at);
    for (const { name } of going) {
      const own = part.sets.find((each) => each.name === name);
      const bytes = own && surface.cornerBytes(own.id);
      const into = sets.get(name);
      if (bytes && into) for (let i = 0; i < bytes.length; i++) into[4 * at + i] = (bytes[i] ?? 0) / 255;
    }
    at += places.length / 3;
  }
  return { positions, sets };
}

/** Compares in a worker; given up, the worker goes. */
function compareAside(ours: Corners, theirs: Corners, signal: AbortSignal): Promise<Comparison> {
  return new Promise((resolve, reject) => {
    const worker = new Worker(new URL("./comparing.worker.ts", import.meta.url), { type: "module" });
    const end = () => worker.terminate();
    signal.addEventListener("abort", end);
    worker.onmessage = ({ data }: MessageEvent<Comparison>) => {
      end();
      resolve(data);
    };
    worker.onerror = (event) => {
      end();
      reject(new Error(event.message || "The comparison failed: try again."));
    };
    const arrays = [ours, theirs].flatMap(({ positions, sets }) => [positions, ...sets.values()]);
    worker.postMessage(
      { ours, theirs },
      arrays.map((array) => array.buffer),
    );
  });
}

/** Lets the page draw what it says before it is busy. */
const breathe = () => new Promise((resolve) => window.setTimeout(resolve, 30));

async function openSent(
  project: Project,
  id: number,
  signal: AbortSignal,
  tell: (step: string) => void,
): Promise<Opened> {
  const { recipient, list, formats } = useDelivery.getState();
  if (!recipient || !list) throw new Error("Nothing is packed yet.");
  const end = formats.find((each) => each.format === recipient.format)?.extension ?? "";
  const numbers = list.files.map((file, number) => ({ ...file, number }));
  const meshes = numbers.filter((file) => file.name.endsWith(`.${end}`));
  const libraries = numbers.filter((file) => file.name.endsWith(".mtl"));
  const first = meshes[0];
  if (!first) throw new Error("Nothing is packed yet.");
  tell("Packing it");
  const beside = await Promise.all(libraries.map((file) => fetchFile(id, recipient, file.number, file.name, signal)));
  const scene = new THREE.Group();
  for (const file of meshes) {
    const sent = await fetchFile(id, recipient, file.number, file.name, signal);
    tell(`Reading ${file.name} as others do`);
    await breathe();
    const part = await load(sent, beside);
    if (!part)
      return {
        file: first.name,
        root: null,
        owners: [],
        found: 0,
        corners: 0,
        sets: [],
        apart: new Float32Array(),
        quarter: 0,
      };
    scene.add(part);
  }
  const names = [...new Set(list.parts.flatMap((part) => part.sets))];
  const all = get().parts.flatMap((part) => part.sets);
  const going = names.flatMap((name): Going[] => {
    const own = all.find((each) => calledIn(recipient, each.name) === name);
    // Swatches leave as the colors they print in.
    const encoding = own?.encoding === "data" ? "data" : "color";
    return own ? [{ name: own.name, encoding }] : [];
  });
  await breathe();
  const { corners, owners } = cornersOf(scene, recipient, going);
  tell(`Looking for ${count(corners.positions.length / 3)} corners where they should stand`);
  await breathe();
  signal.throwIfAborted();
  const result = await compareAside(held(project, going, recipient.visible_only), corners, signal);
  return { file: first.name, root: scene, owners, ...result };
}

/** Sea to persimmon to ink, as the stage's heat. */
function heat(t: number, into: THREE.Color) {
  const stops = [
    [0.93, 0.91, 0.86],
    [0.55, 0.75, 0.74],
    [0.8, 0.45, 0.26],
    [0.3, 0.09, 0.14],
  ] as const;
  const at = Math.min(0.9999, Math.max(0, t)) * 3;
  const [a, b] = [stops[Math.floor(at)] ?? stops[0], stops[Math.floor(at) + 1] ?? stops[3]];
  return into.setRGB(
    ...([0, 1, 2].map((i) => (a[i] ?? 0) + ((b[i] ?? 0) - (a[i] ?? 0)) * (at % 1)) as [number, number, number]),
    THREE.SRGBColorSpace,
  );
}

/** The same meshes with the difference at each corner as their color. */
function heated({ owners, apart }: Opened, most: number): THREE.Group {
  const group = new THREE.Group();
  const color = new THREE.Color();
  for (const { mesh, first, place } of owners) {
    const flat = mesh.geometry.index ? mesh.geometry.toNonIndexed() : mesh.geometry.clone();
    const places = flat.getAttribute("position");
    const colors = new Float32Array(3 * places.count);
    for (let i = 0; i < places.count; i++) heat((apart[first + i] ?? 0) / most, color).toArray(colors, 3 * i);
    const bare = new THREE.BufferGeometry();
    bare.setAttribute("position", places);
    bare.setAttribute("color", new THREE.BufferAttribute(colors, 3));
    bare.computeVertexNormals();
    const copy = new THREE.Mesh(bare, new THREE.MeshLambertMaterial({ vertexColors: true, side: THREE.DoubleSide }));
    copy.applyMatrix4(place);
    group.add(copy);
  }
  return group;
}

export function OpenSent({ project, id, onClose }: { project: Project; id: number; onClose: () => void }) {
  const [opened, setOpened] = useState<Opened | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [view, setView] = useState<"sent" | "heat">("sent");
  const [step, setStep] = useState("");
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const current = new AbortController();
    const { signal } = current;
    openSent(project, id, signal, (next) => {
      if (!signal.aborted) setStep(next);
    }).then(
      (all) => {
        if (!signal.aborted) setOpened(all);
      },
      (error: unknown) => {
        if (!signal.aborted) setTrouble(error instanceof Error ? error.message : String(error));
      },
    );
    return () => current.abort();
  }, [project, id]);
  const most = Math.max(1 / 255, ...(opened?.sets.map((each) => each.largest ?? 0) ?? []));
  useEffect(() => {
    const place = canvas.current;
    if (!place || !opened?.root) return;
    const renderer = new THREE.WebGLRenderer({ canvas: place, antialias: true, preserveDrawingBuffer: true });
    renderer.setSize(place.clientWidth, place.clientHeight, false);
    const scene = new THREE.Scene();
    scene.background = new THREE.Color(stageGrey);
    const shown = new THREE.Group().add(view === "heat" ? heated(opened, most) : opened.root);
    // The right way up, whatever the file counts upwards.
    shown.rotation.x = (Math.PI / 2) * (opened.quarter - (get().traits.up === "z" ? 1 : 0));
    scene.add(shown, new THREE.HemisphereLight(0xffffff, 0x8a8a8a, 1.9));
    const light = new THREE.DirectionalLight(0xffffff, 1.15);
    light.position.set(-0.5, 0.8, 0.7);
    scene.add(light);
    const ball = new THREE.Box3().setFromObject(shown).getBoundingSphere(new THREE.Sphere());
    const camera = new THREE.PerspectiveCamera(
      35,
      place.clientWidth / place.clientHeight,
      ball.radius / 100,
      ball.radius * 100,
    );
    camera.position
      .copy(ball.center)
      .add(new THREE.Vector3(0.55, 0.4, 1).normalize().multiplyScalar(ball.radius * 2.7));
    const controls = new OrbitControls(camera, place);
    controls.target.copy(ball.center);
    const draw = () => renderer.render(scene, camera);
    controls.addEventListener("change", draw);
    controls.update();
    draw();
    return () => {
      controls.dispose();
      renderer.dispose();
      scene.remove(shown);
    };
  }, [opened, view, most]);
  const steps = (x: number | null) => (x === null ? "not read" : x * 255 < 0.005 ? "0" : (x * 255).toFixed(2));
  const asked = useDelivery((state) => state.recipient?.light);
  const complete = opened !== null && opened.found === opened.corners;
  return (
    <Dialog
      open
      onClose={onClose}
      maxWidth="lg"
      fullWidth
      data-test="opened-sent"
      onKeyDown={(event) => event.stopPropagation()}>
      <DialogTitle sx={{ pb: 1 }}>{opened ? opened.file : "Opening what would be sent"}</DialogTitle>
      <DialogContent sx={{ display: "grid", gridTemplateColumns: "1fr 280px", gap: 2, minHeight: 430 }}>
        <Box sx={{ bgcolor: stageGrey, borderRadius: 3, overflow: "hidden", position: "relative", height: 430 }}>
          {opened?.root && (
            <Box
              component="canvas"
              ref={canvas}
              data-test="clean-view"
              sx={{ width: 1, height: 1, display: "block" }}
            />
          )}
          {!opened && !trouble && (
            <>
              <LinearProgress />
              <Typography variant="body2" sx={{ m: 2, color: "#fff" }} data-test="opening-step">
                {step}…
              </Typography>
            </>
          )}
        </Box>
        <Box>
          {trouble && <Alert severity="error">{trouble}</Alert>}
          {opened && !opened.root && (
            <Alert severity="info">
              three.js has no loader for this format. <i>Prove it</i> reads the file with our own.
            </Alert>
          )}
          {opened?.root && (
            <>
              <Typography variant="body2">
                Read from the file alone, by the loaders of three.js, which know nothing of this app.
              </Typography>
              <ToggleButtonGroup
                exclusive
                size="small"
                value={view}
                onChange={(_, next: "sent" | "heat" | null) => next && setView(next)}
                sx={{ my: 1.5 }}>
                <ToggleButton value="sent" data-test="view-sent">
                  As it came
                </ToggleButton>
                <ToggleButton value="heat" data-test="view-heat" disabled={opened.sets.length === 0}>
                  Difference
                </ToggleButton>
              </ToggleButtonGroup>
              {view === "heat" && (
                <Typography variant="caption" color="textSecondary" component="p">
                  Light is 0, dark is {(most * 255).toFixed(1)} of 255 steps.
                </Typography>
              )}
              {opened.sets.length === 0 && (
                <Typography variant="body2" color="textSecondary">
                  No set goes along: the shape alone is compared.
                </Typography>
              )}
              {opened.sets.length > 0 && (
                <Box
                  component="table"
                  data-test="loaded-sets"
                  sx={{
                    width: 1,
                    borderSpacing: 0,
                    fontSize: 13,
                    "& th": { textAlign: "left", fontWeight: 400, color: "text.secondary" },
                    "& td + td, & th + th": { textAlign: "right" },
                  }}>
                  <thead>
                    <tr>
                      <th>set</th>
                      <th>largest</th>
                      <th>mean</th>
                    </tr>
                  </thead>
                  <tbody>
                    {opened.sets.map((each) => (
                      <tr key={each.name}>
                        <td>{each.name}</td>
                        <td>{steps(each.largest)}</td>
                        <td>{steps(each.mean)}</td>
                      </tr>
                    ))}
                  </tbody>
                </Box>
              )}
              {opened.sets.length > 0 && (
                <Typography variant="caption" color="textSecondary" component="p" sx={{ mt: 0.5 }}>
                  in steps of 255, against the stage's 8 bits
                </Typography>
              )}
              {asked && (
                <Alert severity="info" sx={{ mt: 1.5 }} data-test="loaded-light">
                  Colors are written {asked === "linear" ? "as linear light" : "sRGB-encoded"}, as the recipient asks;
                  this reader takes them as usual and shows them {asked === "linear" ? "darker" : "lighter"}.
                </Alert>
              )}
              <Alert severity={complete ? "success" : "warning"} sx={{ mt: 1.5 }} data-test="loaded-places">
                {complete
                  ? `All ${count(opened.corners)} corners stand where they should.`
                  : `${count(opened.corners - opened.found)} of ${count(opened.corners)} corners stand elsewhere.`}
              </Alert>
            </>
          )}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button
          variant={opened || trouble ? "contained" : "outlined"}
          color={opened || trouble ? "primary" : "secondary"}
          onClick={onClose}>
          {opened || trouble ? "Close" : "Give up"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
