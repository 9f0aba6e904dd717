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
  type Schemas,
  type Source,
} from "../api/client";
import {
  alikeOf,
  type Choices,
  choicesOf,
  grouped,
  importBody,
  type KnownSource,
  rolesFor,
  takenChoices,
} from "../plan/choices";

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
  /** How it was to be read at the last look, where somebody has said. */
  asked?: Record<string, unknown>;
  choices: Choices | null;
  job: Job | null;
  /** What the study's plan wants of it, where it does. */
  wanted: { name: string; role: string } | null;
  /** A source that is there already, and whose choices are made anew. */
  again: boolean;
  /** What it was taken for beside the others that came with it. */
  taken: Taken | null;
  /** The user has chosen something of it. */
  touched: boolean;
  /** When bringing it in began, in milliseconds. */
  begun: number;
  /** Why it failed, or why the last look did; what it waits for, while it does. */
  says: string;
  /** The last look was stopped, since it took too long. */
  late: boolean;
}

export type Taken = Schemas["TakenView"];

/** The work of bringing several files in. */
export interface Bringing {
  job: Job | null;
  begun: number;
  says: string;
}

const AGAIN_MS = 200;
const looks = new Map<string, AbortController>();
/** What is open where not one file is, but all that came together. */
export const TOGETHER = "together";

interface Store {
  files: readonly Incoming[];
  /** The file whose choices are open, or `TOGETHER`. */
  open: string | null;
  /** Of several areas the ones to count in; empty for the likelier. */
  areas: string;
  bringing: Bringing | null;
  /** It is being worked out what the files are beside each other. */
  comparing: boolean;
  /** Why that could not be worked out; empty where it could. */
  uncompared: string;
  show: (id: string | null) => void;
  countIn: (areas: string) => void;
  choose: (id: string, change: Partial<Choices>) => void;
  forget: (id: string) => void;
}

export const useIncoming = create<Store>((set) => ({
  files: [],
  open: null,
  areas: "",
  bringing: null,
  comparing: false,
  uncompared: "",
  show: (id) => set({ open: id }),
  countIn: (areas) => set({ areas }),
  choose: (id, change) =>
    update(id, (f) => (f.choices ? { touched: true, choices: { ...f.choices, ...change } } : {})),
  forget: (id) => {
    looks.get(id)?.abort();
    const file = useIncoming.getState().files.find((f) => f.id === id);
    if (file && file.stage !== "done" && file.stage !== "bringing")
      void fetch(`/api/studies/${file.study}/uploads/${id}`, { method: "DELETE" });
    set((s) => {
      const files = s.files.filter((f) => f.id !== id);
      const next = files.length > 1 ? TOGETHER : (files[0]?.id ?? null);
      return { files, open: s.open === id || files.length < 2 ? next : s.open };
    });
    if (file) void takeTogether(file.study);
  },
}));

function update(id: string, change: (file: Incoming) => Partial<Incoming>): void {
  useIncoming.setState((s) => ({ files: s.files.map((f) => (f.id === id ? { ...f, ...change(f) } : f)) }));
}

/** Send files to a study, each group an upload of its own, and look into them. */
export async function take(
  study: string,
  files: readonly File[],
  known: readonly KnownSource[],
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
      taken: null,
      touched: false,
      begun: 0,
      says: "",
      late: false,
    }),
  );
  useIncoming.setState((s) => {
    const files = [...s.files, ...added];
    return { files, open: files.length > 1 ? TOGETHER : (s.open ?? added[0]?.id ?? null) };
  });
  await Promise.all(groups.map((group, i) => send(added[i], group, known)));
}

/** Once all that came together has been looked into: what each file is taken for beside the others. */
export async function takeTogether(study: string): Promise<void> {
  const mine = useIncoming.getState().files.filter((f) => f.study === study && f.look && !f.again);
  const still = useIncoming.getState().files.some((f) => f.stage === "sending" || f.stage === "looking");
  if (still || mine.length < 2) return;
  useIncoming.setState({ comparing: true, uncompared: "" });
  try {
    const uploads = mine.map((f) => f.id);
    const found = await postJson<Schemas["TakenTogether"]>(`/api/studies/${study}/uploads/together`, {
      uploads,
    });
    for (const taken of found.files)
      update(taken.upload_id, (f) => ({
        taken,
        ...(f.look && f.choices && !f.touched && !f.wanted
          ? { choices: { ...f.choices, ...takenChoices(f.look, taken) } }
          : {}),
      }));
  } catch (error) {
    // What each was taken for by itself stands, and it is said that no more is known.
    useIncoming.setState({ uncompared: (error as Error).message });
  } finally {
    useIncoming.setState({ comparing: false });
  }
}

async function send(file: Incoming, group: readonly File[], known: readonly KnownSource[]): Promise<void> {
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
  await lookAgain(file.id, {}, known);
}

/** Look into a file, as it is or read in another way. What the user has decided already stays where it still fits. */
export async function lookAgain(
  id: string,
  reading: Record<string, unknown>,
  known: readonly KnownSource[],
  beginning = false,
): Promise<void> {
  const file = useIncoming.getState().files.find((f) => f.id === id);
  if (!file) return;
  looks.get(id)?.abort();
  const mine = new AbortController();
  looks.set(id, mine);
  const body = { reading: { ...(file.look?.reading ?? file.asked), ...reading }, beginning };
  update(id, () => ({ stage: "looking", says: "", late: false, asked: body.reading }));
  try {
    const look = await inTurn(id, `/api/studies/${file.study}/uploads/${id}/look`, body, mine.signal);
    update(id, (f) => {
      const others = useIncoming
        .getState()
        .files.flatMap((o) => (o.id !== id && o.choices ? [o.choices.name] : []));
      const fresh = {
        ...choicesOf(look, [...known.map((k) => k.name), ...others]),
        ...(f.wanted ? wantedChoices(look, f.wanted) : { alike: f.again ? null : alikeOf(look, known) }),
      };
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
  await takeTogether(file.study);
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
    taken: null,
    touched: true,
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
    const body = importBody(id, file.look, file.choices, file.again);
    const job = await worked(`/api/studies/${file.study}/imports`, body, (now) =>
      update(id, () => ({ job: now })),
    );
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

/** Bring in all that came together, as one piece of work. */
export async function bringAllIn(study: string, onDone: () => void): Promise<void> {
  const { files, areas } = useIncoming.getState();
  const mine = files.filter((f) => f.study === study && f.look && f.choices);
  const set = (bringing: Bringing | null) => useIncoming.setState({ bringing });
  const begun = Date.now();
  set({ job: null, begun, says: "" });
  try {
    const body = {
      files: mine.map((f) => importBody(f.id, f.look!, f.choices!, f.again)),
      areas: areas || null,
    };
    const job = await worked(`/api/studies/${study}/imports/together`, body, (now) =>
      set({ job: now, begun, says: "" }),
    );
    if (job.state !== "done") {
      set({ job: null, begun, says: job.says });
      return;
    }
    onDone();
    set(null);
    const ids = new Set(mine.map((f) => f.id));
    useIncoming.setState((s) => ({
      files: s.files.filter((f) => !ids.has(f.id)),
      open: s.files.some((f) => !ids.has(f.id)) ? TOGETHER : null,
      areas: "",
    }));
  } catch (error) {
    set({ job: null, begun, says: (error as Error).message });
  }
}

/** A job that was begun, once it has ended; `now` is told how far it is. */
async function worked(path: string, body: unknown, now: (job: Job) => void): Promise<Job> {
  let job = await postJson<Job>(path, body);
  while (job.state === "waiting" || job.state === "running") {
    now(job);
    await new Promise((wait) => setTimeout(wait, 150));
    job = await getJson<Job>(`/api/jobs/${job.id}`);
  }
  return job;
}

export function stop(job: Job): void {
  void postJson(`/api/jobs/${job.id}/cancel`, {}).catch(() => {});
}
