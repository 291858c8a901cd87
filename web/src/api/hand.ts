// The name under which this window's changes are kept: a bird of the harbour, with a mark behind it
// that tells two of one name apart and is not shown.

const birds = [
  "Puffin",
  "Tern",
  "Gull",
  "Guillemot",
  "Cormorant",
  "Shag",
  "Eider",
  "Fulmar",
  "Gannet",
  "Kittiwake",
  "Oystercatcher",
  "Razorbill",
  "Sanderling",
  "Turnstone",
  "Plover",
  "Heron",
  "Curlew",
  "Dunlin",
  "Petrel",
  "Skua",
];
const KEY = "speckle-hand";

function fresh(): string {
  const [bird = 0, mark = 0] = crypto.getRandomValues(new Uint32Array(2));
  return `${birds[bird % birds.length]}#${(mark % 46656).toString(36).padStart(3, "0")}`;
}

/** Kept for as long as the window is open, through reloads. */
export const hand: string = sessionStorage.getItem(KEY) ?? fresh();
sessionStorage.setItem(KEY, hand);

/** A hand as people read it. */
export const shownHand = (name: string) => (name === hand ? "you" : (name.split("#")[0] ?? name) || "someone");
