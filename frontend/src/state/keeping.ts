/** Studies kept in order: what each holds, and what can be done with them. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { getJson, postJson, type Schemas, type Study } from "../api/client";
import { useAnswer, useAsked } from "./asked";
import { useDoing } from "./store";

export type KeptStudy = Schemas["KeptStudy"];
export type WaitedFor = Schemas["WaitedFor"];

export function useKeptStudies() {
  return useAsked("The studies", {
    queryKey: ["kept studies"],
    queryFn: async () => (await getJson<{ studies: KeptStudy[] }>("/api/kept-studies")).studies,
    staleTime: 0,
    refetchOnMount: "always",
  });
}

/** What the page says while the disk has no room to save anything; nothing while it has. */
export function useRoomOnDisk(): string {
  const found = useAsked("The room on the disk", {
    queryKey: ["room"],
    queryFn: async () => (await getJson<Schemas["Room"]>("/api/room")).says,
    refetchInterval: 10_000,
  });
  return useAnswer(found) ?? "";
}

/** Another name, a copy, a study with the same plan, or none any more. */
export function useKeeping(study: Study) {
  const cache = useQueryClient();
  const set = useDoing((d) => d.set);
  const path = `/api/studies/${study.id}`;
  const refresh = () =>
    Promise.all([
      cache.invalidateQueries({ queryKey: ["study"] }),
      cache.invalidateQueries({ queryKey: ["kept studies"] }),
    ]);
  const rename = useMutation({
    mutationFn: (name: string) => postJson<Study>(path, { name }, "PATCH"),
    onSuccess: refresh,
  });
  const copy = useMutation({
    mutationFn: (name: string) => postJson<Study>(`${path}/copy`, { name }),
    onSuccess: refresh,
  });
  const begin = useMutation({
    mutationFn: (name: string) => postJson<Study>(`${path}/begin`, { name }),
    onSuccess: async (begun) => {
      await refresh();
      set({ ...OPENED, study: begun.id });
    },
  });
  const remove = useMutation({
    mutationFn: () => postJson<unknown>(path, undefined, "DELETE"),
    onSuccess: async () => {
      // What is asked for next must not be of the study that is gone.
      if (useDoing.getState().study === study.id) set({ study: null });
      await refresh();
    },
  });
  return { rename, copy, begin, remove };
}

/** What is as it is at first when another study is opened. */
export const OPENED = {
  keeping: false,
  sheet: null,
  rows: null,
  selected: null,
  hovered: null,
  comparing: false,
  figuring: false,
} as const;

/** The sources that the study's plan waits for; null where none waits. */
export function useWaiting(study: Study) {
  return useAsked("What the study waits for", {
    queryKey: ["waiting", study.id],
    queryFn: async () =>
      (await getJson<Schemas["Waiting"]>(`/api/studies/${study.id}/waiting`)).sources ?? null,
    staleTime: 0,
  });
}

export function useWaitingChanges(study: Study) {
  const cache = useQueryClient();
  const path = `/api/studies/${study.id}/waiting`;
  const refresh = () => cache.invalidateQueries();
  const take = useMutation({
    mutationFn: (wanted: { from: string; name: string }) => postJson<unknown>(path, wanted),
    onSuccess: refresh,
  });
  const forget = useMutation({
    mutationFn: () => postJson<unknown>(path, undefined, "DELETE"),
    onSuccess: refresh,
  });
  return { take, forget };
}

export function useRemoveSource(study: Study) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (id: string) =>
      postJson<unknown>(`/api/studies/${study.id}/sources/${id}`, undefined, "DELETE"),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["sources", study.id] }),
  });
}
