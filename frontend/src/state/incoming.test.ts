import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Look } from "../api/client";
import { bringAllIn, bringIn, lookAgain, TOGETHER, take, takeTogether, useIncoming } from "./incoming";

const LOOK = {
  file_name: "calls.csv",
  kind: "text",
  reading: { encoding: "utf-8", inside: false },
  choices: [],
  shapes: {},
  columns: [{ name: "id" }, { name: "x" }],
  role: "table",
  coordinates: [],
  systems: [],
  times: [],
  totals: [],
  stated: [],
  picture: null,
} as unknown as Look;

const KNOWN = { name: "calls", role: "table", columns: ["x", "id"] };

interface Asked {
  path: string;
  method: string;
  body: unknown;
}

let asked: Asked[];
let answers: (asked: Asked) => unknown;

class Request {
  static refuse = false;
  upload = { onprogress: (_: { loaded: number }) => {} };
  status = 201;
  responseText = "";
  onload = () => {};
  onerror = () => {};
  private path = "";
  open(_: string, path: string) {
    this.path = path;
  }
  setRequestHeader() {}
  send(file: Blob) {
    asked.push({ path: this.path, method: "PUT", body: null });
    this.upload.onprogress({ loaded: file.size });
    if (Request.refuse) [this.status, this.responseText] = [422, '{"detail": "it is too large."}'];
    this.onload();
  }
}

beforeEach(() => {
  asked = [];
  Request.refuse = false;
  useIncoming.setState({ files: [], open: null, bringing: null, areas: "" });
  vi.stubGlobal("XMLHttpRequest", Request);
  vi.stubGlobal("fetch", async (path: string, options?: RequestInit) => {
    const one = {
      path,
      method: options?.method ?? "GET",
      body: options?.body && JSON.parse(String(options.body)),
    };
    asked.push(one);
    const answer = answers(one);
    options?.signal?.throwIfAborted();
    if (answer instanceof Error)
      return new Response(
        JSON.stringify({ detail: answer.message, type: `/problems/${(answer as { kind?: string }).kind}` }),
        {
          status: 422,
        },
      );
    return new Response(JSON.stringify(answer), { status: 200 });
  });
});

afterEach(() => vi.unstubAllGlobals());

const file = (name: string, size = 5) => new File([new Uint8Array(size)], name);
const only = () => useIncoming.getState().files[0];

it("sends each group, looks into it, and keeps the user's choices while the columns stay", async () => {
  answers = ({ path }) => (path.endsWith("/together") ? { files: [] } : LOOK);
  await take("s", [file("z.shp"), file("z.dbf", 7), file("calls.csv")], [KNOWN]);
  const { files, open } = useIncoming.getState();
  expect(files.map((f) => [f.name, f.stage, f.sent])).toEqual([
    ["z.shp", "ready", 12],
    ["calls.csv", "ready", 5],
  ]);
  expect(open).toBe(TOGETHER);
  expect(
    asked
      .filter((a) => a.method === "PUT")
      .map((a) => a.path.split("/").at(-1))
      .sort(),
  ).toEqual(["calls.csv", "z.dbf", "z.shp"]);
  expect(files[1].choices?.name).toBe("calls 2");
  useIncoming.getState().choose(files[1].id, { name: "mine", identifier: "id" });
  await lookAgain(files[1].id, { delimiter: ";" }, []);
  expect(useIncoming.getState().files[1].choices).toMatchObject({ name: "mine", identifier: "id" });
  expect(asked.filter((a) => a.path.endsWith("/look")).at(-1)?.body).toMatchObject({
    reading: { encoding: "utf-8", delimiter: ";" },
  });
  answers = () => ({ ...LOOK, columns: [{ name: "other" }] });
  await lookAgain(files[1].id, { header_row: 2 }, []);
  expect(useIncoming.getState().files[1].choices).toMatchObject({ name: "mine", identifier: undefined });
});

it("says why a file was refused, and a look that fails leaves what was seen before", async () => {
  Request.refuse = true;
  await take("s", [file("large.csv")], []);
  expect(only()).toMatchObject({ stage: "failed", says: "it is too large." });
  useIncoming.getState().forget(only().id);
  Request.refuse = false;
  answers = () => LOOK;
  await take("s", [file("calls.csv")], []);
  answers = () => new Error("it has no row 9.");
  await lookAgain(only().id, { header_row: 9 }, []);
  expect(only()).toMatchObject({ stage: "ready", says: "it has no row 9.", look: LOOK });
});

it("waits for its turn where others are looked into, and is left out while it waits or is looked into", async () => {
  let busy = 2;
  answers = ({ path }) =>
    path.endsWith("/look") && busy-- > 0
      ? Object.assign(new Error("2 other files are being looked into."), { kind: "busy" })
      : LOOK;
  const states: string[] = [];
  const off = useIncoming.subscribe((s) => states.push(`${s.files[0]?.stage}: ${s.files[0]?.says}`));
  await take("s", [file("calls.csv")], []);
  off();
  expect(states).toContain("looking: 2 other files are being looked into.");
  expect(only()).toMatchObject({ stage: "ready", says: "" });
  useIncoming.getState().forget(only().id);
  busy = 1_000;
  const taking = take("s", [file("calls.csv")], []);
  await vi.waitFor(() => expect(only()?.says).toContain("being looked into"));
  useIncoming.getState().forget(only().id);
  await taking;
  expect(useIncoming.getState().files).toEqual([]);
});

it("offers the beginning of a file that took too long", async () => {
  answers = ({ path, body }) =>
    path.endsWith("/look") && !(body as { beginning: boolean }).beginning
      ? Object.assign(new Error("it took too long."), { kind: "too-long" })
      : LOOK;
  await take("s", [file("calls.csv")], []);
  expect(only()).toMatchObject({ stage: "failed", says: "it took too long.", late: true });
  await lookAgain(only().id, {}, [], true);
  expect(only()).toMatchObject({ stage: "ready", late: false, look: LOOK });
});

it("waits for the job, and forgets the file once it is in", async () => {
  let polls = 0;
  answers = ({ path }) => {
    if (path.endsWith("/look")) return LOOK;
    if (path.endsWith("/imports")) return { id: "j", state: "waiting" };
    polls++;
    return { id: "j", state: polls < 2 ? "running" : "done" };
  };
  await take("s", [file("calls.csv")], []);
  const id = only().id;
  const done = vi.fn();
  await bringIn(id, done);
  expect(done).toHaveBeenCalledOnce();
  expect(useIncoming.getState()).toMatchObject({ files: [], open: null });
  expect(asked.find((a) => a.path.endsWith("/imports"))?.body).toMatchObject({
    upload_id: id,
    role: "table",
  });
  expect(asked.some((a) => a.method === "DELETE")).toBe(false);
});

it("keeps the file and the reason when the job fails", async () => {
  answers = ({ path }) =>
    path.endsWith("/look")
      ? LOOK
      : { id: "j", state: path.endsWith("/imports") ? "running" : "failed", says: "no rows." };
  await take("s", [file("calls.csv")], []);
  await bringIn(only().id, () => {});
  expect(only()).toMatchObject({ stage: "ready", says: "no rows." });
  useIncoming.getState().forget(only().id);
  expect(asked.at(-1)).toMatchObject({ method: "DELETE" });
});

const TAKEN = { coordinates: null, number: null, systems: [], says: "", doubts: [] };

it("asks what files that came together are, and leaves what the user has chosen", async () => {
  answers = ({ path, body }) => {
    if (!path.endsWith("/together")) return LOOK;
    const files = (body as { uploads: string[] }).uploads.map((upload_id) => ({
      ...TAKEN,
      upload_id,
      role: "events",
      stated: "x",
      coordinates: { kind: "none" },
    }));
    return { files };
  };
  await take("s", [file("a.csv"), file("b.csv")], []);
  const roles = () => useIncoming.getState().files.map((f) => f.choices?.role);
  expect(roles()).toEqual(["events", "events"]);
  expect(useIncoming.getState().files[1].choices).toMatchObject({
    stated: "x",
    coordinates: { kind: "none" },
  });
  const [first] = useIncoming.getState().files;
  useIncoming.getState().choose(first.id, { role: "table" });
  await take("s", [file("c.csv")], []);
  expect(roles()).toEqual(["table", "events", "events"]);
  // With one left, that one is open; what all were together has no meaning any more.
  const [, second, third] = useIncoming.getState().files;
  useIncoming.getState().forget(first.id);
  useIncoming.getState().forget(second.id);
  expect(useIncoming.getState().open).toBe(third.id);
});

it("asks of a file with a source's columns whether it takes its place", async () => {
  answers = () => LOOK;
  await take("s", [file("next.csv")], [KNOWN]);
  expect(only().choices).toMatchObject({ alike: "calls", replaces: false });
});

it("brings all in as one piece of work, and says why where that fails", async () => {
  let state = "failed";
  answers = ({ path }) => {
    if (path.endsWith("/uploads/together")) return { files: [] };
    if (path.endsWith("/look")) return LOOK;
    return {
      id: "j",
      state: path.endsWith("/imports/together") ? "running" : state,
      says: "it has no rows.",
    };
  };
  await take("s", [file("a.csv"), file("b.csv")], []);
  useIncoming.getState().countIn("b");
  const done = vi.fn();
  await bringAllIn("s", done);
  expect(useIncoming.getState()).toMatchObject({ open: TOGETHER, bringing: { says: "it has no rows." } });
  expect(useIncoming.getState().files).toHaveLength(2);
  expect(done).not.toHaveBeenCalled();
  state = "done";
  await bringAllIn("s", done);
  expect(done).toHaveBeenCalledOnce();
  expect(useIncoming.getState()).toMatchObject({ open: null, bringing: null, files: [], areas: "" });
  const sent = asked.filter((a) => a.path.endsWith("/imports/together")).at(-1)?.body as {
    files: { name: string }[];
  };
  expect(sent).toMatchObject({ areas: "b" });
  expect(sent.files.map((f) => f.name)).toEqual(["calls", "calls 2"]);
});

it("says so where the files could not be compared, and keeps what each was taken for", async () => {
  let broken = true;
  answers = ({ path }) => {
    if (!path.endsWith("/together")) return LOOK;
    return broken ? new Error("the server does not answer.") : { files: [] };
  };
  await take("s", [file("a.csv"), file("b.csv")], []);
  expect(useIncoming.getState()).toMatchObject({
    comparing: false,
    uncompared: "the server does not answer.",
  });
  expect(only().choices?.role).toBe("table");
  broken = false;
  await takeTogether("s");
  expect(useIncoming.getState().uncompared).toBe("");
});
