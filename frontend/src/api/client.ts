/** Asking the server: JSON with the generated types, bulk as Arrow streams, every failure as a sentence. */
import { type Table, tableFromIPC } from "apache-arrow";
import type { components } from "./schema";

export type Schemas = components["schemas"];
// biome-ignore lint/suspicious/noExplicitAny: a plan is an open document here; the server checks it
export type PlanDocument = Record<string, any>;
export type View = Omit<Schemas["View"], "plan"> & { plan: PlanDocument };
export type PlanVersion = Omit<Schemas["PlanView"], "document"> & { document: PlanDocument };
export type Job = Schemas["JobView"];
export type Study = Schemas["StudyView"];
export type Source = Schemas["SourceView"];

/** What the server, or the way to it, refused. `message` is what the screen shows. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

export async function getJson<T>(path: string): Promise<T> {
  return (await ask(path)).json();
}

export async function postJson<T>(path: string, body: unknown): Promise<T> {
  const headers = { "Content-Type": "application/json" };
  return (await ask(path, { method: "POST", headers, body: JSON.stringify(body) })).json();
}

export async function getArrow(path: string): Promise<Table> {
  return tableFromIPC(await (await ask(path)).arrayBuffer());
}

async function ask(path: string, options?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, options);
  } catch {
    throw new Refusal(
      "Steady Tally does not answer. It may have been stopped; start it again with ./start.sh.",
      0,
    );
  }
  if (response.ok) return response;
  const problem = await response.json().catch(() => null);
  throw new Refusal(problem?.detail ?? `The server answered ${response.status}.`, response.status);
}
