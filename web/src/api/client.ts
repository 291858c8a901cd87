// REST with types made from the server's own description.
import createClient from "openapi-fetch";
import { hand } from "./hand";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export const api = createClient<paths>({ baseUrl: "", headers: { "speckle-hand": hand } });

// A request that gets no answer is refused like any other: nothing waits for ever, and nothing looks
// kept that is not.
api.use({
  onError: ({ error }) =>
    error instanceof DOMException && error.name === "AbortError"
      ? undefined
      : Response.json({ message: messageOf(null) }, { status: 503 }),
});

/** The server's own sentence about what went wrong. */
export function messageOf(error: unknown): string {
  if (error && typeof error === "object" && "message" in error) return String(error.message);
  return "The server cannot be reached: see whether it is still running.";
}
