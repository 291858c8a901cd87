// Hands an answer of the server to the browser as a file.
import { messageOf } from "../api/client";
import type { Outcome } from "../api/writes";

/** What it is called and how large it is; why there is none, when the answer broke off. */
export async function toBrowser(
  answer: Outcome<Response>,
  usual: string,
): Promise<Outcome<{ file: string; bytes: number }>> {
  if (answer.trouble !== null) return answer;
  const blob = await answer.data.blob().catch(() => null);
  if (!blob) return { data: null, trouble: messageOf(null) };
  const file = /filename="([^"]+)"/.exec(answer.data.headers.get("content-disposition") ?? "")?.[1] ?? usual;
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = file;
  link.click();
  window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
  return { data: { file, bytes: blob.size }, trouble: null };
}
