// What is about to go out: the recipient in hand, its packing list, and what was sent and proved.
import { create } from "zustand";
import { api, messageOf, type Schemas } from "../../api/client";
import { toBrowser } from "../../widgets/handOver";

/** A recipient with every choice filled in. */
export type Recipient = Required<Omit<Schemas["Recipient"], "unit" | "up">> & Pick<Schemas["Recipient"], "unit" | "up">;
export type Entry = Omit<Schemas["RecipientEntry"], "recipient"> & { recipient: Recipient };

interface Delivery {
  /** The project it is of. */
  project: number | null;
  /** Who the project is sent to. */
  entries: Entry[];
  formats: Schemas["Abilities"][];
  /** The one in hand, with what was turned and is not kept yet. */
  recipient: Recipient | null;
  /** What it was before each turn, the last one last. */
  before: Recipient[];
  list: Schemas["PackingList"] | null;
  packing: boolean;
  sending: boolean;
  proving: boolean;
  /** What was handed to the browser last. */
  handed: { file: string; bytes: number } | null;
  proof: Schemas["Comparison"] | null;
  trouble: string | null;
}

const start: Delivery = { project: null, entries: [], formats: [], recipient: null, before: [], list: null, packing: false, sending: false, proving: false, handed: null, proof: null, trouble: null };

export const useDelivery = create<Delivery>(() => start);
const set = useDelivery.setState;
const get = useDelivery.getState;

const cannot = "The server did not answer: see whether it is still running, and try again.";

/** Reads who the project is sent to; takes the first in hand, or the one that was. */
export async function open(project: number) {
  // Another project is another delivery; the same one goes on where it was left.
  if (get().project !== project) set({ ...start, project });
  const held = get().recipient?.name;
  const [formats, entries] = await Promise.all([
    api.GET("/api/v1/formats"),
    api.GET("/api/v1/projects/{project}/recipients", { params: { path: { project } } }),
  ]).catch(() => [{ data: undefined }, { data: undefined }] as const);
  // Another project was opened meanwhile: this answer is of no use to it.
  if (get().project !== project) return;
  if (!formats.data || !entries.data) {
    set({ trouble: cannot });
    return;
  }
  const all = entries.data as Entry[];
  const found = all.find(({ recipient }) => recipient.name === held) ?? all[0];
  set({ formats: formats.data, entries: all, recipient: get().recipient && held === found?.recipient.name ? get().recipient : (found?.recipient ?? null), trouble: null });
}

/** Takes a recipient in hand. */
export const choose = (recipient: Recipient) => set({ recipient, before: [], list: null, handed: null, proof: null, trouble: null });

/** Turns one choice of the recipient in hand. */
export function turn(choices: Partial<Recipient>) {
  const { recipient, before } = get();
  if (recipient) set({ recipient: { ...recipient, ...choices }, before: [...before, recipient], handed: null, proof: null, trouble: null });
}

/** Takes the last choice back. */
export function takeBack() {
  const { before } = get();
  const recipient = before.at(-1);
  if (recipient) set({ recipient, before: before.slice(0, -1), handed: null, proof: null, trouble: null });
}

interface Packing {
  project: number;
  isStale: boolean;
  done: Promise<void>;
}

let underWay: Packing | null = null;

/** Packs without sending, for the list. What is turned meanwhile waits, and is packed once at the
    end: the server never packs for nobody. Another project waits for none of this one's. */
export function pack(project: number): Promise<void> {
  if (underWay?.project === project) {
    underWay.isStale = true;
    return underWay.done;
  }
  const own: Packing = { project, isStale: true, done: Promise.resolve() };
  underWay = own;
  own.done = packUntilSettled(own).finally(() => { if (underWay === own) underWay = null; });
  return own.done;
}

async function packUntilSettled(own: Packing) {
  const { project } = own;
  while (own.isStale) {
    own.isStale = false;
    const { recipient } = get();
    if (!recipient || get().project !== project) return;
    set({ packing: true });
    const answer = await api.POST("/api/v1/projects/{project}/packing", { params: { path: { project } }, body: recipient }).catch(() => ({ data: undefined, error: { message: cannot } }));
    // Turned meanwhile: this answer is of what was wanted before, and the next is on its way.
    if (own.isStale || get().recipient !== recipient || get().project !== project) continue;
    if (answer.data) set({ list: answer.data, packing: false, trouble: null });
    else set({ list: null, packing: false, trouble: messageOf(answer.error) });
  }
}

/** Sends: the browser takes the file, the project keeps the recipient and what it got. */
export async function send(project: number) {
  const { recipient } = get();
  if (!recipient) return;
  set({ sending: true, handed: null, trouble: null });
  try {
    const response = await fetch(`/api/v1/projects/${project}/deliveries`, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(recipient) });
    if (!response.ok) {
      set({ trouble: messageOf(await response.json()) });
      return;
    }
    const handed = await toBrowser(response, recipient.format);
    if (get().project !== project) return;
    set({ handed });
    await open(project);
    await pack(project);
  } catch {
    if (get().project === project) set({ trouble: cannot });
  } finally {
    if (get().project === project) set({ sending: false });
  }
}

let proof: AbortController | null = null;

/** Gives a proof up that is under way. */
export const giveUp = () => proof?.abort();

/** Reads what would be sent alone and compares it with the project. */
export async function prove(project: number) {
  const { recipient } = get();
  if (!recipient) return;
  proof = new AbortController();
  const { signal } = proof;
  set({ proving: true, proof: null, trouble: null });
  const answer = await api.POST("/api/v1/projects/{project}/proof", { params: { path: { project } }, body: recipient, signal }).catch(() => ({ data: undefined, error: { message: cannot } }));
  if (get().project !== project) return;
  if (signal.aborted) set({ proving: false });
  else if (answer.data) set({ proof: answer.data, proving: false });
  else set({ trouble: messageOf(answer.error), proving: false });
}

/** Keeps a new recipient, unless one is called so already. */
export async function add(project: number, recipient: Recipient) {
  const taken = get().entries.some((each) => each.recipient.name.toLowerCase() === recipient.name.trim().toLowerCase());
  if (taken) set({ trouble: `There is a recipient ${recipient.name.trim()} already: choose another name.` });
  else await keep(project, recipient);
}

/** Keeps the recipient in hand as it is, under its name. */
export async function keep(project: number, recipient: Recipient) {
  const answer = await api.PUT("/api/v1/projects/{project}/recipients", { params: { path: { project } }, body: recipient }).catch(() => ({ error: { message: cannot } }));
  if (get().project !== project) return;
  if (answer.error) {
    set({ trouble: messageOf(answer.error) });
    return;
  }
  choose(recipient);
  await open(project);
}

/** Forgets the recipient in hand; one of those to begin with stands as it was made. */
export async function forget(project: number, name: string) {
  const { error } = await api.DELETE("/api/v1/projects/{project}/recipients", { params: { path: { project }, query: { name } } });
  if (get().project !== project) return;
  if (error) {
    set({ trouble: messageOf(error) });
    return;
  }
  set({ recipient: null, list: null, handed: null, proof: null });
  await open(project);
}

/** The whole story of a proof in a sentence, and whether all is equal. */
export function verdict(proof: Schemas["Comparison"]): { text: string; equal: boolean } {
  const sets = proof.parts.flatMap((part) => part.sets);
  const gone = sets.filter((each) => each.max_difference === null || each.max_difference === undefined).length + proof.parts.filter((part) => part.max_distance === null || part.max_distance === undefined).length;
  const most = Math.max(0, ...sets.map((each) => each.max_difference ?? 0));
  if (gone > 0) return { text: `${gone === 1 ? "One thing is" : `${gone} things are`} not in the file; the list above says why.`, equal: false };
  if (sets.length === 0) return { text: "The shape is the same; no set goes along.", equal: true };
  if (most === 0) return { text: `Every number of ${sets.length === 1 ? "the set" : `all ${sets.length} sets`} is the same.`, equal: true };
  if (most * 255 < 0.005) return { text: `Every number of ${sets.length === 1 ? "the set" : `all ${sets.length} sets`} is the same, but for the last bits of a float.`, equal: true };
  return { text: `The largest difference is ${(most * 255).toFixed(2)} of 255 steps.`, equal: most < 1 / 255 };
}
