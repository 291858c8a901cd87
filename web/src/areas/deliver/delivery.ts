// What is about to go out: the recipient in hand, its packing list, and what was sent and proved.
import { create } from "zustand";
import { api, messageOf, type Schemas } from "../../api/client";
import { deliver, forgetRecipient, keepRecipient, packed, prove as proofOf } from "../../api/writes";
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

const start: Delivery = {
  project: null,
  entries: [],
  formats: [],
  recipient: null,
  before: [],
  list: null,
  packing: false,
  sending: false,
  proving: false,
  handed: null,
  proof: null,
  trouble: null,
};

export const useDelivery = create<Delivery>(() => start);
const set = useDelivery.setState;
const get = useDelivery.getState;

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
    set({ trouble: messageOf(null) });
    return;
  }
  const all = entries.data as Entry[];
  const found = all.find(({ recipient }) => recipient.name === held) ?? all[0];
  set({
    formats: formats.data,
    entries: all,
    recipient: get().recipient && held === found?.recipient.name ? get().recipient : (found?.recipient ?? null),
    trouble: null,
  });
}

/** Takes a recipient in hand. */
export const choose = (recipient: Recipient) =>
  set({ recipient, before: [], list: null, handed: null, proof: null, trouble: null });

/** Turns one choice of the recipient in hand. */
export function turn(choices: Partial<Recipient>) {
  const { recipient, before } = get();
  if (recipient)
    set({
      recipient: { ...recipient, ...choices },
      before: [...before, recipient],
      handed: null,
      proof: null,
      trouble: null,
    });
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
  own.done = packUntilSettled(own).finally(() => {
    if (underWay === own) underWay = null;
  });
  return own.done;
}

async function packUntilSettled(own: Packing) {
  const { project } = own;
  while (own.isStale) {
    own.isStale = false;
    const { recipient } = get();
    if (!recipient || get().project !== project) return;
    set({ packing: true });
    const { data, trouble } = await packed(project, recipient);
    // Turned meanwhile: this answer is of what was wanted before, and the next is on its way.
    if (own.isStale || get().recipient !== recipient || get().project !== project) continue;
    set({ list: data, packing: false, trouble });
  }
}

/** Sends: the browser takes the file, the project keeps the recipient and what it got. */
export async function send(project: number) {
  const { recipient } = get();
  if (!recipient) return;
  set({ sending: true, handed: null, trouble: null });
  const { data: handed, trouble } = await toBrowser(await deliver(project, recipient), recipient.format);
  if (get().project !== project) return;
  set({ handed, trouble });
  if (handed) {
    await open(project);
    await pack(project);
  }
  if (get().project === project) set({ sending: false });
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
  const { data, trouble } = await proofOf(project, recipient, signal);
  if (get().project !== project) return;
  set({ proving: false, proof: data, trouble: signal.aborted ? null : trouble });
}

/** Keeps a new recipient; why not, when one is called so already or it cannot be kept. */
export async function add(project: number, recipient: Recipient): Promise<string | null> {
  const taken = get().entries.some((each) => each.recipient.name.toLowerCase() === recipient.name.trim().toLowerCase());
  if (taken) return `There is a recipient ${recipient.name.trim()} already: choose another name.`;
  const { trouble } = await keepRecipient(project, recipient);
  if (trouble === null) await take(project, recipient);
  return trouble;
}

/** Keeps the recipient in hand as it is, under its name. */
export async function keep(project: number, recipient: Recipient) {
  const { trouble } = await keepRecipient(project, recipient);
  if (get().project !== project) return;
  if (trouble === null) await take(project, recipient);
  else set({ trouble });
}

/** Takes a recipient in hand that has just been kept. */
async function take(project: number, recipient: Recipient) {
  if (get().project !== project) return;
  choose(recipient);
  await open(project);
}

/** Forgets the recipient in hand; one of those to begin with stands as it was made. */
export async function forget(project: number, name: string) {
  const { trouble } = await forgetRecipient(project, name);
  if (get().project !== project) return;
  if (trouble !== null) {
    set({ trouble });
    return;
  }
  set({ recipient: null, list: null, handed: null, proof: null });
  await open(project);
}

/** The whole story of a proof in a sentence, and whether all is equal. */
export function verdict(proof: Schemas["Comparison"]): { text: string; equal: boolean } {
  const sets = proof.parts.flatMap((part) => part.sets);
  const gone =
    sets.filter((each) => each.max_difference === null || each.max_difference === undefined).length +
    proof.parts.filter((part) => part.max_distance === null || part.max_distance === undefined).length;
  const most = Math.max(0, ...sets.map((each) => each.max_difference ?? 0));
  if (gone > 0)
    return {
      text: `${gone === 1 ? "One thing is" : `${gone} things are`} not in the file; the list above says why.`,
      equal: false,
    };
  if (sets.length === 0) return { text: "The shape is the same; no set goes along.", equal: true };
  if (most === 0)
    return {
      text: `Every number of ${sets.length === 1 ? "the set" : `all ${sets.length} sets`} is the same.`,
      equal: true,
    };
  if (most * 255 < 0.005)
    return {
      text: `Every number of ${sets.length === 1 ? "the set" : `all ${sets.length} sets`} is the same, but for the last bits of a float.`,
      equal: true,
    };
  return { text: `The largest difference is ${(most * 255).toFixed(2)} of 255 steps.`, equal: most < 1 / 255 };
}
