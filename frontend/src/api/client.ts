/** Asking the server: JSON with the generated types, bulk as Arrow streams, every failure as a sentence. */
import { type Table, tableFromIPC } from "apache-arrow";
import type { Layer, Plan } from "../plan/types";
import { parsed } from "../records";
import type { components } from "./schema";
import { noteWaiting } from "./waiting";

export type Schemas = components["schemas"];
export type View = Omit<Schemas["View"], "plan" | "layers"> & { plan: Plan; layers: Layer[] };
export type PlanVersion = Omit<Schemas["PlanView"], "document"> & { document: Plan };
export type Job = Schemas["JobView"];
export type Study = Schemas["StudyView"];
export type Source = Schemas["SourceView"];
export type Look = Schemas["LookView"];
export type Tally = Schemas["TallyView"];
const PATIENCE_MS = 60_000;
const AGAIN_MS = 1_000;
const SILENT = "Steady Tally does not answer. It may have been stopped; start it again with ./start.sh.";

/** What the server, or the way to it, refused. `message` is what the screen shows. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly status: number,
    /** The problem's kind (RFC 9457), as "too-long". */
    readonly kind = "",
    /** The stage of the plan at which it is put right; empty where it is at none. */
    readonly stage = "",
  ) {
    super(message);
  }
}

export async function getJson<T>(path: string): Promise<T> {
  return parsed(await (await ask(path)).text()) as T;
}

export async function postJson<T>(path: string, body: unknown, method = "POST"): Promise<T> {
  return parsed(await (await ask(path, posted(body, method))).text()) as T;
}

/** As `postJson`, but once: where too much is done at once the caller is told. */
export async function postOnce<T>(path: string, body: unknown, signal: AbortSignal): Promise<T> {
  return parsed(await (await ask(path, { ...posted(body, "POST"), signal }, false)).text()) as T;
}

function posted(body: unknown, method: string): RequestInit {
  return { method, headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) };
}

/** Send a file as it is, saying how much of it has gone. */
export function putFile(path: string, file: Blob, onSent: (bytes: number) => void): Promise<void> {
  return new Promise((done, fail) => {
    const request = new XMLHttpRequest();
    request.open("PUT", path);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (event) => onSent(event.loaded);
    request.onerror = () => fail(new Refusal(SILENT, 0));
    request.onload = () => {
      if (request.status < 300) return done();
      let detail = `The server answered ${request.status}.`;
      try {
        detail = (parsed(request.responseText) as { detail?: string }).detail ?? detail;
      } catch {
        // not a problem document: the number is all there is
      }
      fail(new Refusal(detail, request.status));
    };
    request.send(file);
  });
}

/** An Arrow stream; with a body it is posted. */
export async function getArrow(path: string, body?: unknown): Promise<Table> {
  const answer = body === undefined ? ask(path) : ask(path, posted(body, "POST"));
  return tableFromIPC(await (await answer).arrayBuffer());
}

/** Ask once; what only reads asks again for a while where the server, or its database, is starting. What finds too much
 * being done at once has changed nothing, and waits for its turn. */
async function ask(path: string, options?: RequestInit, patient = true): Promise<Response> {
  const until = Date.now() + PATIENCE_MS;
  for (;;) {
    try {
      const response = await askOnce(path, options);
      noteWaiting(null);
      return response;
    } catch (error) {
      if (patient && error instanceof Refusal && error.kind === "busy" && Date.now() < until) {
        await new Promise((done) => setTimeout(done, AGAIN_MS));
        options?.signal?.throwIfAborted();
        continue;
      }
      const waits = error instanceof Refusal && (error.status === 0 || error.status === 503);
      if (!waits) noteWaiting(null);
      if (!waits || options) throw error;
      noteWaiting(Date.now() < until ? error.message : null);
      if (Date.now() >= until) throw error;
      await new Promise((done) => setTimeout(done, AGAIN_MS));
    }
  }
}

async function askOnce(path: string, options?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, options);
  } catch {
    throw new Refusal(SILENT, 0);
  }
  if (response.ok) return response;
  const problem = await response.json().catch(() => null);
  const kind = String(problem?.type ?? "")
    .split("/")
    .at(-1);
  const said = problem?.detail ?? `The server answered ${response.status}.`;
  throw new Refusal(said, response.status, kind, problem?.stage ?? "");
}
