// REST with types made from the server's own description.
import createClient from "openapi-fetch";
import { hand } from "./hand";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export const api = createClient<paths>({ baseUrl: "", headers: { "speckle-hand": hand } });

// A request that gets no answer is refused like any other: nothing waits for ever, and nothing looks
// kept that is not.
api.use({
  onError: ({ error }) => (error instanceof DOMException && error.name === "AbortError" ? undefined : Response.json({ message: messageOf(null) }, { status: 503 })),
});

/** The server's own sentence about what went wrong. */
export function messageOf(error: unknown): string {
  if (error && typeof error === "object" && "message" in error) return String(error.message);
  return "The server cannot be reached: see whether it is still running.";
}

export type ImportReport = Schemas["ImportReport"];

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

/** Sends a mesh file with those beside it, telling how much of it has gone out (0–1). Rejects with a sentence. */
export function sendMesh(file: File, beside: File[], project: number | null, choices: ImportChoices, sending: Sending) {
  const query = queryOf({ ...choices });
  const form = new FormData();
  form.append("file", file);
  for (const each of beside) form.append("beside", each);
  const base = project === null ? "/api/v1/imports" : `/api/v1/projects/${project}/imports`;
  return send<ImportReport>(`${base}?${query}`, form, file.name, sending);
}

/** How a file is to be laid over a part; what is left out is found out. */
export interface ReplacementChoices {
  matching?: Schemas["Matching"];
  from?: string;
  unit?: Schemas["Unit"];
  up?: Schemas["UpAxis"];
}

/** Replaces the colors or the shape of a part by a file's, or tells what that would do; a sentence when it cannot be. */
export async function sendReplacement(project: number, part: number, file: File, beside: File[], choices: ReplacementChoices & { what: "colors" | "shape"; look: boolean }): Promise<Schemas["Replacement"] | string> {
  const form = new FormData();
  form.append("file", file);
  for (const each of beside) form.append("beside", each);
  try {
    const answer = await fetch(`/api/v1/projects/${project}/parts/${part}/replacement?${queryOf({ ...choices })}`, { method: "POST", body: form, headers: { "speckle-hand": hand } });
    const body: unknown = await answer.json();
    return answer.ok ? (body as Schemas["Replacement"]) : messageOf(body);
  } catch {
    return messageOf(null);
  }
}

/** Sends a whole project that was exported as a file. */
export function sendProject(file: File, sending: Sending) {
  return send<Schemas["Made"]>("/api/v1/projects/file", file, file.name, sending);
}

function send<Answer>(url: string, body: FormData | File, name: string, { progress, signal }: Sending): Promise<Answer> {
  return new Promise((resolve, reject) => {
    // fetch tells nothing of how far an upload is.
    const request = new XMLHttpRequest();
    request.open("POST", url);
    request.setRequestHeader("speckle-hand", hand);
    if (body instanceof File) request.setRequestHeader("content-type", "application/octet-stream");
    request.responseType = "json";
    request.upload.onprogress = (event) => progress(event.total ? event.loaded / event.total : 0);
    request.onload = () => {
      if (request.status === 200) resolve(request.response as Answer);
      else if (request.status === 413) reject(new Error(`${name} is larger than this server takes: start it with a higher --max-upload-mb.`));
      else reject(new Error(messageOf(request.response)));
    };
    request.onerror = () => reject(new Error(messageOf(null)));
    request.onabort = () => reject(new DOMException("cancelled", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    request.send(body);
  });
}

/** Hands an image over to paint through; what is wrong with it when it cannot be read. */
export async function sendStencil(project: number, file: File): Promise<Schemas["StencilTaken"] | string> {
  try {
    const answer = await fetch(`/api/v1/projects/${project}/stencils`, { method: "POST", body: file, headers: { "content-type": "application/octet-stream" } });
    const body: unknown = await answer.json();
    return answer.ok ? (body as Schemas["StencilTaken"]) : messageOf(body);
  } catch {
    return "the server did not answer: try again";
  }
}

/** Hands a file over; what is wrong with it when it is not taken. */
async function handOver(url: string, file: Blob, type: string): Promise<string | null> {
  try {
    const answer = await fetch(url, { method: "POST", body: file, headers: { "content-type": type, "speckle-hand": hand } });
    return answer.ok ? null : messageOf(await answer.json());
  } catch {
    return "the server did not answer: try again";
  }
}

/** Takes an image into the project, for recipes to lay on surfaces. */
export const addImage = (project: number, file: File) =>
  handOver(`/api/v1/projects/${project}/images?${new URLSearchParams({ name: file.name })}`, file, "application/octet-stream");

/** Gives a part the recipes of a file, in the set that the file names. */
export const takeRecipes = (project: number, part: number, file: Blob) => handOver(`/api/v1/projects/${project}/parts/${part}/recipes`, file, "text/plain");

/** Takes a palette in from a file. */
export const sendPalette = (project: number, file: File) => handOver(`/api/v1/projects/${project}/palette`, file, "text/plain");
