// Hands an answer of the server to the browser as a file.

/** Returns what it is called and how large it is. */
export async function toBrowser(answer: Response, usual: string): Promise<{ file: string; bytes: number }> {
  const blob = await answer.blob();
  const file = /filename="([^"]+)"/.exec(answer.headers.get("content-disposition") ?? "")?.[1] ?? usual;
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = file;
  link.click();
  window.setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
  return { file, bytes: blob.size };
}
