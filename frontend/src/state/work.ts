/** Work in the background that makes a file: started, watched, stopped, fetched. */
import { useEffect, useRef, useState } from "react";
import { getJson, type Job, postJson } from "../api/client";

const LOOK_EVERY = 200; // milliseconds

export interface Work {
  /** The last one that was started; its file, once it is done, lies at `fileOf`. */
  job: Job | null;
  error: string;
  busy: boolean;
  start: (path: string, body: unknown) => void;
  stop: () => void;
}

export function fileOf(job: Job): string {
  return `/api/jobs/${job.id}/file`;
}

export function useWork(): Work {
  const [job, setJob] = useState<Job | null>(null);
  const [error, setError] = useState("");
  const [busy, setBusy] = useState(false);
  const here = useRef(true);
  useEffect(() => {
    here.current = true;
    return () => {
      here.current = false;
    };
  }, []);
  const start = async (path: string, body: unknown) => {
    setBusy(true);
    setError("");
    setJob(null);
    try {
      let now = await postJson<Job>(path, body);
      while (here.current && (now.state === "waiting" || now.state === "running")) {
        setJob(now);
        await new Promise((wait) => setTimeout(wait, LOOK_EVERY));
        now = await getJson<Job>(`/api/jobs/${now.id}`);
      }
      setJob(now);
      if (now.state === "failed") setError(now.says);
      if (here.current && now.state === "done" && now.file_name) fetchFile(now);
    } catch (reason) {
      setError((reason as Error).message);
    }
    setBusy(false);
  };
  const stop = () => {
    if (job) void postJson(`/api/jobs/${job.id}/cancel`, {}).catch(() => {});
  };
  return { job, error, busy, start, stop };
}

function fetchFile(job: Job): void {
  const link = document.createElement("a");
  link.href = fileOf(job);
  link.download = job.file_name ?? "";
  link.click();
}
