// Compares aside, so that the page stays alive.
import { compare, type Corners } from "./comparing";

self.onmessage = ({ data: { ours, theirs } }: MessageEvent<{ ours: Corners; theirs: Corners }>) => {
  const result = compare(ours, theirs);
  self.postMessage(result, { transfer: [result.apart.buffer] });
};
