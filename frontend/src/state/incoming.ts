/** Files on their way in: sent, looked into, decided upon, brought in. One small store. */
import { create } from "zustand";
import {
  getJson,
  type Job,
  type Look,
  postJson,
  postOnce,
  putFile,
  Refusal,
  type Source,
} from "../api/client";
import { type Choices, choicesOf, grouped, importBody, rolesFor } from "../plan/choices";

export type Stage = "sending" | "looking" | "ready" | "bringing" | "done" | "failed";

export interface Incoming {
  /** Also the upload's identifier. */
  id: string;
  study: string;
  name: string;
  stage: Stage;
  sent: number;
  total: number;
  look: Look | null;
  choices: Choices | null;
  job: Job | null;
  /** What the study's plan wants of it, where it does. */
  wanted: { name: string; role: string } | null;
  /** A source that is there already, and whose choices are made anew. */
  again: boolean;
  /** When bringing it in began, in milliseconds. */
  begun: number;
  /** Why it failed, or why the last look did; what it waits for, while it does. */
  says: string;
  /** The last look was stopped, since it took too long. */
  late: boolean;
}

const AGAIN_MS = 500;
const looks = new Map<string, AbortController>();

interface Store {
  files: readonly Incoming[];
  /** The file whose choices are open. */
  open: string | null;
  show: (id: string | null) => void;
  choose: (id: string, change: Partial<Choices>) => void;
  forget: (id: string) => void;
}

export const useIncoming = create<Store>((set) => ({
  files: [],
  open: null,
  show: (id) => set({ open: id }),
  choose: (id, change) => update(id, (f) => (f.choices ? { choices: { ...f.choices, ...change } } : {})),
  forget: (id) => {
    looks.get(id)?.abort();
    const file = useIncoming.getState().files.find((f) => f.id === id);
    if (file && file.stage !== "done" && file.stage !== "bringing")
      void fetch(`/api/studies/${file.study}/uploads/${id}`, { method: "DELETE" });
    set((s) => {
      const files = s.files.filter((f) => f.id !== id);
      return { files, open: s.open === id ? (files[0]?.id ?? null) : s.open };
    });
  },
}));

function update(id: string, change: (file: Incoming) => Partial<Incoming>): void {
  useIncoming.setState((s) => ({ files: s.files.map((f) => (f.id === id ? { ...f, ...change(f) } : f)) }));
}

/** Send files to a study, each group an upload of its own, and look into them. */
export async function take(
  study: string,
  files: readonly File[],
  taken: readonly string[],
  wanted: { name: string; role: string } | null = null,
): Promise<void> {
  const groups = grouped(files);
  const added = groups.map(
    (group): Incoming => ({
      id: crypto.randomUUID(),
      study,
      name: (group.find((f) => f.name.toLowerCase().endsWith(".shp")) ?? group[0]).name,
      stage: "sending",
      sent: 0,
      total: group.reduce((n, f) => n + f.size, 0),
      look: null,
      choices: null,
      job: null,
      wanted,
      again: false,
      begun: 0,
      says: "",
      late: false,
    }),
  );
  useIncoming.setState((s) => ({ files: [...s.files, ...added], open: s.open ?? added[0]?.id ?? null }));
  for (const [i, group] of groups.entries()) await send(added[i], group, taken);
}

async function send(file: Incoming, group: readonly File[], taken: readonly string[]): Promise<void> {
  try {
    let before = 0;
    for (const part of group) {
      const path = `/api/studies/${file.study}/uploads/${file.id}/${encodeURIComponent(part.name)}`;
      await putFile(path, part, (bytes) => update(file.id, () => ({ sent: before + bytes })));
      before += part.size;
    }
  } catch (error) {
    update(file.id, () => ({ stage: "failed", says: (error as Error).message }));
    return;
  }
  await lookAgain(file.id, {}, taken);
}

/** Look into a file, as it is or read in another way. What the user has decided already stays where it still fits. */
export async function lookAgain(
  id: string,
  reading: Record<string, unknown>,
  taken: readonly string[],
  beginning = false,
): Promise<void> {
  const file = useIncoming.getState().files.find((f) => f.id === id);
  if (!file) return;
  looks.get(id)?.abort();
  const mine = new AbortController();
  looks.set(id, mine);
  update(id, () => ({ stage: "looking", says: "", late: false }));
  try {
    const body = { reading: { ...file.look?.reading, ...reading }, beginning };
    const look = await inTurn(id, `/api/studies/${file.study}/uploads/${id}/look`, body, mine.signal);
    update(id, (f) => {
      const fresh = { ...choicesOf(look, taken), ...(f.wanted && wantedChoices(look, f.wanted)) };
      const same = f.look && sameColumns(f.look, look);
      const kept = f.choices && { name: f.choices.name, role: f.choices.role, facts: f.choices.facts };
      return { stage: "ready", says: "", look, choices: same ? f.choices : { ...fresh, ...kept } };
    });
  } catch (error) {
    if (mine.signal.aborted) return; // nobody waits for it any more
    const late = error instanceof Refusal && error.kind === "too-long";
    // A look that failed leaves what was seen before, so that another choice can be made.
    update(id, (f) => ({ stage: f.look ? "ready" : "failed", says: (error as Error).message, late }));
  }
}

/** A few files are looked into at once: the others wait. */
async function inTurn(id: string, path: string, body: unknown, signal: AbortSignal): Promise<Look> {
  for (;;) {
    try {
      return await postOnce<Look>(path, body, signal);
    } catch (error) {
      if (!(error instanceof Refusal && error.kind === "busy")) throw error;
      update(id, () => ({ says: error.message }));
      await new Promise((done) => setTimeout(done, AGAIN_MS));
      signal.throwIfAborted();
    }
  }
}

/** Open the choices of a source anew, from the file that it was read from. */
export async function chooseAnew(study: string, source: Source): Promise<void> {
  const id = source.upload_id!;
  const fresh: Incoming = {
    id,
    study,
    name: source.file_name,
    stage: "looking",
    sent: source.byte_count,
    total: source.byte_count,
    look: null,
    choices: null,
    job: null,
    wanted: null,
    again: true,
    begun: 0,
    says: "",
    late: false,
  };
  useIncoming.setState((s) => ({ files: [...s.files.filter((f) => f.id !== id), fresh], open: id }));
  await lookAgain(id, source.reading, []);
  const events = (source.facts as { events?: Partial<Choices> }).events;
  update(id, (f) =>
    f.choices && f.look
      ? { choices: { ...f.choices, ...(events && known(f.look, events)), ...sourceChoices(source) } }
      : {},
  );
}

function sourceChoices(source: Source): Partial<Choices> {
  return { name: source.name, role: source.role, replaces: true };
}

/** What was chosen before, in the words of the choices. */
function known(look: Look, events: Record<string, unknown>): Partial<Choices> {
  const kept = events.columns as string[] | null;
  return {
    coordinates: events.coordinates as Choices["coordinates"],
    stated: ((events.stated ?? null) as { column: string } | null)?.column ?? null,
    identifier: events.identifier as string | null,
    number: (events.number ?? null) as string | null,
    time: events.time as Choices["time"],
    recorded: ((events.recorded ?? []) as Choices["recorded"]).map((w) => ({ ...w, name: w.name ?? "" })),
    labels: (events.labels ?? {}) as Choices["labels"],
    left: kept ? look.columns.map((c) => c.name).filter((n) => !kept.includes(n)) : [],
  };
}

/** As the plan has it, as far as the file can be that. */
function wantedChoices(look: Look, { name, role }: { name: string; role: string }): Partial<Choices> {
  return rolesFor(look).includes(role) ? { name, role } : { name };
}

function sameColumns(a: Look, b: Look): boolean {
  return JSON.stringify(a.columns.map((c) => c.name)) === JSON.stringify(b.columns.map((c) => c.name));
}

/** Bring a file in and wait for it; `onDone` is told when the study has changed. */
export async function bringIn(id: string, onDone: () => void): Promise<void> {
  const file = useIncoming.getState().files.find((f) => f.id === id);
  if (!file?.look || !file.choices) return;
  update(id, () => ({ stage: "bringing", says: "", job: null, begun: Date.now() }));
  try {
    let job = await postJson<Job>(
      `/api/studies/${file.study}/imports`,
      importBody(id, file.look, file.choices, file.again),
    );
    while (job.state === "waiting" || job.state === "running") {
      update(id, () => ({ job }));
      await new Promise((wait) => setTimeout(wait, 250));
      job = await getJson<Job>(`/api/jobs/${job.id}`);
    }
    const fine = job.state === "done";
    update(id, () => ({ job, stage: fine ? "done" : "ready", says: fine ? "" : job.says }));
    if (fine) {
      onDone();
      useIncoming.getState().forget(id);
    }
  } catch (error) {
    update(id, () => ({ stage: "ready", says: (error as Error).message }));
  }
}

export function stop(job: Job): void {
  void postJson(`/api/jobs/${job.id}/cancel`, {}).catch(() => {});
}
