// What was dropped on the page: files, and all files in folders.

/** The most files of a folder that are looked at. */
const MOST = 4096;

/** The files of a drop, in the order of their names within each folder. */
export async function filesOf(transfer: DataTransfer): Promise<File[]> {
  // What is dropped is forgotten when the event is over: entries are asked for at once.
  const entries = Array.from(transfer.items, (item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return Array.from(transfer.files);
  const found: File[] = [];
  for (const entry of entries) await collect(entry, found);
  return found;
}

async function collect(entry: FileSystemEntry, into: File[]) {
  if (into.length >= MOST || entry.name.startsWith(".")) return;
  if (entry.isFile) {
    into.push(await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)));
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  for (;;) {
    // A reader gives a hundred at a time, then none.
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) break;
    inside.push(...some);
  }
  inside.sort((a, b) => a.name.localeCompare(b.name));
  for (const each of inside) await collect(each, into);
}
