// All that the page asks the server to do, but for strokes, which go over the socket. Whatever happens,
// each comes to an outcome: what came of it, or a sentence why nothing did. Nothing here rejects, so
// nothing waits for ever and nothing looks kept that is not.
import { api, messageOf, type Schemas } from "./client";
import { hand } from "./hand";

/** What came of it, or why nothing did. */
export type Outcome<T> = { data: T; trouble: null } | { data: null; trouble: string };

const failed = (error: unknown): Outcome<never> => ({ data: null, trouble: messageOf(error) });

/** What a typed request came to. Where nothing is told, it was simply done. */
async function done<T>(request: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<Outcome<T>> {
  try {
    const { data, error, response } = await request;
    return response.ok && error === undefined ? { data: data as T, trouble: null } : failed(error);
  } catch {
    return failed(null);
  }
}

/** How something is waited for: given up by a signal, and asked after by a word of its own while it is under way. */
export interface Wait {
  signal: AbortSignal;
  work: string;
}

/** A word that no other request has. Browsers make better ones only where the connection is safe. */
export const newWord = () => `${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`;

const workHeader = (wait: Partial<Wait> | undefined): Record<string, string> =>
  wait?.work ? { "x-work": wait.work } : {};

/** Hands something over, and gives the answer as it comes. */
async function posted(
  url: string,
  body: BodyInit,
  type: string | null,
  wait?: Partial<Wait>,
): Promise<Outcome<Response>> {
  try {
    const headers: Record<string, string> = { "speckle-hand": hand, ...workHeader(wait) };
    // Of a form the browser says itself where its pieces end.
    if (type) headers["content-type"] = type;
    const answer = await fetch(url, { method: "POST", body, headers, signal: wait?.signal ?? null });
    return answer.ok ? { data: answer, trouble: null } : failed(await answer.json());
  } catch {
    return failed(null);
  }
}

async function told<T>(request: Promise<Outcome<Response>>): Promise<Outcome<T>> {
  const { data, trouble } = await request;
  if (trouble !== null) return { data: null, trouble };
  return data.json().then(
    (json: T) => ({ data: json, trouble: null }),
    () => failed(null),
  );
}

const of = (project: number) => ({ params: { path: { project } } });
const JSON_TYPE = "application/json";
const BYTES = "application/octet-stream";

// The shelf.
export const makeProject = (name: string) => done(api.POST("/api/v1/projects", { body: { name } }));
export const makePiece = (piece: string, dense: boolean) =>
  done(api.POST("/api/v1/pieces", { body: { piece, dense } }));
export const renameProject = (project: number, name: string) =>
  done(api.PATCH("/api/v1/projects/{project}", { ...of(project), body: { name } }));
export const copyProject = (project: number) => done(api.POST("/api/v1/projects/{project}/copy", of(project)));
export const deleteProject = (project: number) => done(api.DELETE("/api/v1/projects/{project}", of(project)));

// The document.
export const makeEdit = (project: number, edit: Schemas["Edit"]) =>
  done(api.POST("/api/v1/projects/{project}/edits", { ...of(project), body: edit }));

/** Takes an image into the project, for recipes to lay on surfaces. */
export const addImage = (project: number, file: File) =>
  posted(`/api/v1/projects/${project}/images?${queryOf({ name: file.name })}`, file, BYTES);

/** Gives a part the recipes of a file, in the set that the file names. */
export const takeRecipes = (project: number, part: number, file: Blob) =>
  posted(`/api/v1/projects/${project}/parts/${part}/recipes`, file, "text/plain");

/** Takes a palette in from a file. */
export const sendPalette = (project: number, file: File) =>
  posted(`/api/v1/projects/${project}/palette`, file, "text/plain");

/** Hands an image over to paint through. */
export const sendStencil = (project: number, file: File) =>
  told<Schemas["StencilTaken"]>(posted(`/api/v1/projects/${project}/stencils`, file, BYTES));

/** How a file is to be laid over a part; what is left out is found out. */
export interface ReplacementChoices {
  matching?: Schemas["Matching"];
  from?: string;
  unit?: Schemas["Unit"];
  up?: Schemas["UpAxis"];
}

/** Replaces the colors or the shape of a part by a file's, or tells what that would do. */
export function sendReplacement(
  project: number,
  part: number,
  file: File,
  beside: File[],
  choices: ReplacementChoices & { what: "colors" | "shape"; look: boolean },
) {
  const url = `/api/v1/projects/${project}/parts/${part}/replacement?${queryOf({ ...choices })}`;
  return told<Schemas["Replacement"]>(posted(url, formOf(file, beside), null));
}

/** Carries colors to a part, or tells what that would do; of a file, where one comes along. */
export function sendTransfer(
  project: number,
  part: number,
  order: { from: Schemas["TransferFrom"][]; rules: Partial<Schemas["TransferRules"]>; also: number[] },
  look: boolean,
  files: File[],
  wait?: Wait,
) {
  const url = `/api/v1/projects/${project}/parts/${part}/transfer`;
  const [file, ...beside] = files;
  const asked = JSON.stringify({ ...order, look });
  return told<Schemas["Transfer"]>(
    file
      ? posted(`${url}/file?${queryOf({ order: asked })}`, formOf(file, beside), null, wait)
      : posted(url, asked, JSON_TYPE, wait),
  );
}

/** Numbers of a transfer that was looked at. */
export const transferred = (look: number, what: "values" | "heat" | "lost", set: number) =>
  bytesOf(`/api/v1/transfers/${look}?${queryOf({ what, set })}`);

/** Gives a part another shape made from its own, or tells what that would do. */
export const sendReform = (project: number, part: number, order: Schemas["ReformOrder"], wait?: Wait) =>
  told<Schemas["ReformAnswer"]>(
    posted(`/api/v1/projects/${project}/parts/${part}/reform`, JSON.stringify(order), JSON_TYPE, wait),
  );

/** What the texture coordinates of a part are good for. */
/** What it takes to paint each swatch of a part, the most first. */
export const paintingOf = (project: number, part: number) =>
  done(api.GET("/api/v1/projects/{project}/parts/{part}/painting", { params: { path: { project, part } } }));

/** What volumes meet, and where else they come out. */
export const volumesMet = (project: number) =>
  done(api.GET("/api/v1/projects/{project}/volumes", { params: { path: { project } } }));

export const uvsOf = (project: number, part: number) =>
  done(api.GET("/api/v1/projects/{project}/parts/{part}/uvs", { params: { path: { project, part } } }));

/** Makes an image of the project from the colors of a set. */
export const imageOfColors = (project: number, part: number, order: Schemas["ImageOrder"]) =>
  done(api.POST("/api/v1/projects/{project}/parts/{part}/image", { params: { path: { project, part } }, body: order }));

/** How much of something that was asked with a word is done; null where it is not under way. */
export async function shareOf(work: string): Promise<number | null> {
  const { data } = await done(api.GET("/api/v1/works/{work}", { params: { path: { work } } }));
  return data?.share ?? null;
}

/** The shape of a change that was looked at as a frame, or what a set holds on it. */
export const reformed = (look: number, set?: number) => bytesOf(`/api/v1/reforms/${look}?${queryOf({ set })}`);

/** How far off each face of a part is, by which a change was planned. */
export const heatOf = (look: number) => bytesOf(`/api/v1/reforms/${look}?${queryOf({ heat: true })}`);

/** Cuts what is seen of a project into layers, and tells what they come to. */
export const cutLayers = (project: number, order: Schemas["LayersOrder"], wait: Wait) =>
  told<Schemas["LayersTold"]>(posted(`/api/v1/projects/${project}/layers`, JSON.stringify(order), JSON_TYPE, wait));

/** The outlines of a layer of what was cut. */
export const layerOutlines = (look: number, layer: number) =>
  done(api.GET("/api/v1/layers/{look}", { params: { path: { look }, query: { layer } } }));

/** What makes a print that was cut change spools. */
export const layerCauses = (look: number, order: Schemas["CausesOrder"], wait: Wait) =>
  told<Schemas["CauseTold"][]>(posted(`/api/v1/layers/${look}/causes`, JSON.stringify(order), JSON_TYPE, wait));

/** Where on the model causes lie. */
export const causesLit = (look: number, order: Schemas["ChosenOrder"], wait: Wait) =>
  told<[number, number, number][]>(posted(`/api/v1/layers/${look}/lit`, JSON.stringify(order), JSON_TYPE, wait));

/** Where its layers begin. */
export const layerSeams = (look: number, marks: Schemas["SeamMarks"], wait: Wait) =>
  told<Schemas["SeamTold"][]>(posted(`/api/v1/layers/${look}/seams`, JSON.stringify(marks), JSON_TYPE, wait));

/** The first texture coordinates of a part's corners, as floats; none where it has none. */
export const cornerUvs = (project: number, part: number): Promise<Outcome<ArrayBuffer>> =>
  done(
    api.GET("/api/v1/projects/{project}/parts/{part}/corner_uvs", {
      params: { path: { project, part } },
      parseAs: "arrayBuffer",
    }),
  );

/** An image of the project, as PNG whatever file it came from. */
export const imageAsPng = (project: number, name: string): Promise<Outcome<Blob>> =>
  done(
    api.GET("/api/v1/projects/{project}/images", {
      params: { path: { project }, query: { name, png: true } },
      parseAs: "blob",
    }),
  );

/** A look as shading code. */
export const lookCode = (order: Schemas["LookOrder"]) => done(api.POST("/api/v1/looks/code", { body: order }));

/** The same as a MaterialX document. */
export const lookNodes = (order: Schemas["LookOrder"]): Promise<Outcome<string>> =>
  done(api.POST("/api/v1/looks/nodes", { body: order, parseAs: "text" }));

/** What is wrong with a project for whoever receives it. */
export const checksOf = (project: number, target: Schemas["CheckTarget"], wait: Wait) =>
  done(
    api.GET("/api/v1/projects/{project}/checks", {
      params: { path: { project }, query: { for: target } },
      headers: workHeader(wait),
      signal: wait.signal,
    }),
  );

/** The same as a file. */
export const lookFile = (order: Schemas["LookOrder"], as: "file" | "nodes") =>
  posted(`/api/v1/looks/${as}`, JSON.stringify(order), JSON_TYPE, {
    signal: new AbortController().signal,
    work: newWord(),
  });

/** How it stands on a plate, and whether it fits. */
export const layerPlate = (look: number, plate: Schemas["Plate"], wait: Wait) =>
  told<Schemas["PlateTold"]>(posted(`/api/v1/layers/${look}/plate`, JSON.stringify(plate), JSON_TYPE, wait));

/** What it would take with some remedies. */
export const layersWith = (look: number, order: Schemas["ChosenOrder"], wait: Wait) =>
  told<Schemas["WithRemedies"]>(posted(`/api/v1/layers/${look}/with`, JSON.stringify(order), JSON_TYPE, wait));

/** Mends what was chosen. */
export const remedyLayers = (project: number, look: number, order: Schemas["ChosenOrder"], wait: Wait) =>
  told<Schemas["Remedied"]>(
    posted(`/api/v1/projects/${project}/layers/${look}/remedies`, JSON.stringify(order), JSON_TYPE, wait),
  );

/** The specks of a print that was cut, the smallest first. */
export const layerSpecks = (look: number, limits: Schemas["SweepLimits"]) =>
  done(api.POST("/api/v1/layers/{look}/specks", { params: { path: { look } }, body: limits }));

/** Sweeps specks up. */
export const sweepUp = (project: number, order: Schemas["SweepOrder"]) =>
  done(api.POST("/api/v1/projects/{project}/sweep", { params: { path: { project } }, body: order }));

/** Paints in swatches what is seen, as its colors were told apart. */
export const paintSwatches = (project: number, look: number) =>
  done(api.POST("/api/v1/projects/{project}/layers/{look}/swatches", { params: { path: { project, look } } }));

/** Paints parts in swatches made of their colors. */
export const makeSwatches = (project: number, order: Schemas["SwatchesOrder"]) =>
  done(api.POST("/api/v1/projects/{project}/swatches", { params: { path: { project } }, body: order }));

/** What is known of the printer. */
export const printerNow = () => done(api.GET("/api/v1/printer"));

/** Which of the printer's spools serve the palette. */
export const matchSpools = (project: number) =>
  done(api.GET("/api/v1/projects/{project}/spools", { params: { path: { project } } }));

/** Sends a print that was cut to the printer. */
export const printIt = (project: number, look: number, plate: Schemas["Plate"] | null) =>
  done(
    api.POST("/api/v1/projects/{project}/layers/{look}/print", { params: { path: { project, look } }, body: plate }),
  );

/** Takes a job of the printer back. */
export const cancelPrint = (job: number) =>
  done(api.DELETE("/api/v1/printer/jobs/{job}", { params: { path: { job } } }));

async function bytesOf(url: string): Promise<Outcome<ArrayBuffer>> {
  try {
    const answer = await fetch(url);
    return answer.ok ? { data: await answer.arrayBuffer(), trouble: null } : failed(await answer.json());
  } catch {
    return failed(null);
  }
}

/** Where the plan of a print that was cut is fetched: when to load what, or all of it as a page. */
export const paperOf = (project: number, look: number, form: "swaps" | "page", said: object) =>
  `/api/v1/projects/${project}/layers/${look}/paper?${queryOf({ form, said: JSON.stringify(said) })}`;

/** What is known of the print bureau. */
export const bureauNow = () => done(api.GET("/api/v1/bureau"));

/** Looks at parts as bodies to be printed, with what the bureau asks for them. */
export const quoteOf = (project: number, order: Schemas["QuoteOrder"], wait: Wait) =>
  told<Schemas["QuoteTold"]>(posted(`/api/v1/projects/${project}/quote`, JSON.stringify(order), JSON_TYPE, wait));

/** Orders parts. */
export const orderParts = (project: number, order: Schemas["QuoteOrder"]) =>
  done(api.POST("/api/v1/projects/{project}/orders", { params: { path: { project } }, body: order }));

/** Takes an order back. */
export const cancelOrder = (order: number) =>
  done(api.DELETE("/api/v1/bureau/orders/{order}", { params: { path: { order } } }));

/** A layer of what was cut, seen from above, cell by cell. */
export const layerCells = (look: number, layer: number) =>
  bytesOf(`/api/v1/layers/${look}/cells?${queryOf({ layer })}`);

/** Where a part has to stand to lie on another. */
export const alignmentOf = (project: number, part: number, to: number, by: "bounds" | "best_fit") =>
  done(
    api.GET("/api/v1/projects/{project}/parts/{part}/alignment", {
      params: { path: { project, part }, query: { to, by } },
    }),
  );

/** Where a part has to stand so that points of it lie on others. */
export const alignmentByPairs = (project: number, part: number, order: Schemas["AlignmentPairs"]) =>
  done(
    api.POST("/api/v1/projects/{project}/parts/{part}/alignment", { params: { path: { project, part } }, body: order }),
  );

/** What is wrong with a part's mesh, and where. */
export const faultsOf = (project: number, part: number, wait: Wait) =>
  done(
    api.GET("/api/v1/projects/{project}/parts/{part}/faults", {
      params: { path: { project, part } },
      headers: workHeader(wait),
      signal: wait.signal,
    }),
  );

/** What was done to a project, the last step first. */
export const stepsOf = (project: number) => done(api.GET("/api/v1/projects/{project}/steps", of(project)));
/** All projects of the shelf. */
export const shelfOf = () => done(api.GET("/api/v1/projects"));

// Deliveries.
export const packed = (project: number, recipient: Schemas["Recipient"]) =>
  done(api.POST("/api/v1/projects/{project}/packing", { ...of(project), body: recipient }));
export const prove = (project: number, recipient: Schemas["Recipient"], signal: AbortSignal) =>
  done(api.POST("/api/v1/projects/{project}/proof", { ...of(project), body: recipient, signal }));
export const keepRecipient = (project: number, recipient: Schemas["Recipient"]) =>
  done(api.PUT("/api/v1/projects/{project}/recipients", { ...of(project), body: recipient }));
export const forgetRecipient = (project: number, name: string) =>
  done(api.DELETE("/api/v1/projects/{project}/recipients", { params: { path: { project }, query: { name } } }));

/** Sends a delivery: the file, or a zip of several. */
export const deliver = (project: number, recipient: Schemas["Recipient"]) =>
  posted(`/api/v1/projects/${project}/deliveries`, JSON.stringify(recipient), JSON_TYPE);

/** One file of a delivery, as it would go out. */
export const packedFile = (project: number, recipient: Schemas["Recipient"], number: number, signal: AbortSignal) =>
  posted(`/api/v1/projects/${project}/packed?file=${number}`, JSON.stringify(recipient), JSON_TYPE, { signal });

/** A map as an image file. */
export const renderMap = (project: number, file: string, plan: unknown) =>
  posted(`/api/v1/projects/${project}/maps?file=${file}`, JSON.stringify(plan), JSON_TYPE);

// What is large tells how far it is.
/** How a file's numbers and groups are to be taken; what is left out is as its format usually is. */
export interface ImportChoices {
  unit?: Schemas["Unit"];
  up?: Schemas["UpAxis"];
  groups?: "parts" | "selections";
  weld?: number;
}

interface Sending {
  progress: (share: number) => void;
  signal: AbortSignal;
}

function queryOf(choices: Record<string, unknown>) {
  const query = new URLSearchParams();
  for (const [key, value] of Object.entries(choices)) if (value !== undefined) query.set(key, String(value));
  return query;
}

function formOf(file: File, beside: File[]) {
  const form = new FormData();
  form.append("file", file);
  for (const each of beside) form.append("beside", each);
  return form;
}

/** Sends a mesh file with those beside it, telling how much of it has gone out (0–1). */
export function sendMesh(file: File, beside: File[], project: number | null, choices: ImportChoices, sending: Sending) {
  const query = queryOf({ ...choices });
  const base = project === null ? "/api/v1/imports" : `/api/v1/projects/${project}/imports`;
  return send<Schemas["ImportReport"]>(`${base}?${query}`, formOf(file, beside), file.name, sending);
}

/** Sends a whole project that was exported as a file. */
export function sendProject(file: File, sending: Sending) {
  return send<Schemas["Made"]>("/api/v1/projects/file", file, file.name, sending);
}

function send<Answer>(
  url: string,
  body: FormData | File,
  name: string,
  { progress, signal }: Sending,
): Promise<Outcome<Answer>> {
  return new Promise((resolve) => {
    // fetch tells nothing of how far an upload is.
    const request = new XMLHttpRequest();
    request.open("POST", url);
    request.setRequestHeader("speckle-hand", hand);
    if (body instanceof File) request.setRequestHeader("content-type", BYTES);
    request.responseType = "json";
    request.upload.onprogress = (event) => progress(event.total ? event.loaded / event.total : 0);
    request.onload = () => {
      if (request.status === 200) resolve({ data: request.response as Answer, trouble: null });
      else if (request.status === 413)
        resolve({
          data: null,
          trouble: `${name} is larger than this server takes: start it with a higher --max-upload-mb.`,
        });
      else resolve(failed(request.response));
    };
    request.onerror = () => resolve(failed(null));
    request.onabort = () => resolve({ data: null, trouble: "It was cancelled." });
    signal.addEventListener("abort", () => request.abort());
    request.send(body);
  });
}
