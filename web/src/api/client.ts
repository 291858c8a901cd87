// REST with types made from the server's own description.
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export const api = createClient<paths>({ baseUrl: "" });

/** The server's own sentence about what went wrong. */
export function messageOf(error: unknown): string {
  if (error && typeof error === "object" && "message" in error) return String(error.message);
  return "The server cannot be reached: see whether it is still running.";
}

export type ImportReport = Schemas["ImportReport"];

/** Sends a file, telling how much of it has gone out (0–1). Rejects with a sentence. */
export function sendFile(
  file: File,
  project: number | null,
  progress: (share: number) => void,
  signal: AbortSignal,
): Promise<ImportReport> {
  const base = project === null ? "/api/v1/imports" : `/api/v1/projects/${project}/imports`;
  return new Promise((resolve, reject) => {
    // fetch tells nothing of how far an upload is.
    const request = new XMLHttpRequest();
    request.open("POST", `${base}?name=${encodeURIComponent(file.name)}`);
    request.setRequestHeader("content-type", "application/octet-stream");
    request.responseType = "json";
    request.upload.onprogress = (event) => progress(event.total ? event.loaded / event.total : 0);
    request.onload = () => {
      if (request.status === 200) resolve(request.response as ImportReport);
      else if (request.status === 413) reject(new Error(`${file.name} is larger than this server takes: start it with a higher --max-upload-mb.`));
      else reject(new Error(messageOf(request.response)));
    };
    request.onerror = () => reject(new Error(messageOf(null)));
    request.onabort = () => reject(new DOMException("cancelled", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
