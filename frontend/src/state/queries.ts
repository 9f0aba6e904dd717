/** What comes from the server, each under a key that says what it depends on. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { fetchAreas, fetchLines, fetchShapes } from "../api/bulk";
import {
  getJson,
  type Job,
  type PlanDocument,
  type PlanVersion,
  postJson,
  type Schemas,
  type Source,
  type Study,
  type View,
} from "../api/client";
import { useDoing } from "./store";

const KEPT = { placeholderData: keepPreviousData, staleTime: Number.POSITIVE_INFINITY } as const;

/** The oldest study that has a plan; asked for again while there is none. */
export function useStudy() {
  return useQuery({
    queryKey: ["study"],
    queryFn: async () => {
      const { studies } = await getJson<{ studies: Study[] }>("/api/studies");
      return studies.find((s) => s.head_id) ?? null;
    },
    refetchInterval: (query) => (query.state.data ? false : 700),
  });
}

export function useDemoJob(wanted: boolean) {
  return useQuery({
    queryKey: ["demo job"],
    queryFn: async () => (await getJson<{ job: Job | null }>("/api/demo")).job,
    enabled: wanted,
    refetchInterval: 400,
  });
}

export function useView(study: Study) {
  return useQuery({
    queryKey: ["view", study.id, study.head_id],
    queryFn: () => getJson<View>(`/api/studies/${study.id}/view`),
    ...KEPT,
  });
}

export function useAreas(study: Study) {
  return useQuery({
    queryKey: ["areas", study.id, study.head_id],
    queryFn: () => fetchAreas(study.id),
    ...KEPT,
  });
}

/** Shapes change with Place alone; a finer level takes the coarser one's place once it is there. */
export function useShapes(study: Study, view: View | undefined, level: number) {
  return useQuery({
    queryKey: ["shapes", study.id, view?.plan.place, view?.plan.place.areas.kind === "grid" ? 0 : level],
    queryFn: () => fetchShapes(study.id, level),
    enabled: view !== undefined,
    ...KEPT,
  });
}

export function useLines(study: Study, name: string, view: View | undefined) {
  return useQuery({
    queryKey: ["lines", study.id, name, view?.plan.place],
    queryFn: () => fetchLines(study.id, name),
    enabled: view !== undefined,
    ...KEPT,
  });
}

export function useSources(study: Study) {
  return useQuery({
    queryKey: ["sources", study.id],
    queryFn: async () => (await getJson<{ sources: Source[] }>(`/api/studies/${study.id}/sources`)).sources,
    ...KEPT,
  });
}

export function usePlans(study: Study) {
  return useQuery({
    queryKey: ["plans", study.id, study.head_id],
    queryFn: () => getJson<{ versions: PlanVersion[] }>(`/api/studies/${study.id}/plans`),
    ...KEPT,
  });
}

export function useSetAside(study: Study, reason: string | null, wanted: boolean) {
  return useQuery({
    queryKey: ["set aside", study.id, study.head_id, reason],
    queryFn: () =>
      getJson<Schemas["SetAsideRows"]>(
        `/api/studies/${study.id}/set-aside?rows=5000${reason ? `&reason=${encodeURIComponent(reason)}` : ""}`,
      ),
    enabled: wanted,
  });
}

export function useAreaEvents(study: Study, area: number | null) {
  return useQuery({
    queryKey: ["area events", study.id, study.head_id, area],
    queryFn: () => getJson<Schemas["AreaEvents"]>(`/api/studies/${study.id}/areas/${area}/events`),
    enabled: area !== null,
  });
}

export function useAreaProfile(study: Study, area: number | null) {
  return useQuery({
    queryKey: ["area profile", study.id, study.head_id, area],
    queryFn: () => getJson<Schemas["AreaProfile"]>(`/api/studies/${study.id}/areas/${area}/profile`),
    enabled: area !== null,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Save a changed plan as a new version after the open one. */
export function useSavePlan(study: Study, view: View) {
  const cache = useQueryClient();
  const set = useDoing((d) => d.set);
  return useMutation({
    mutationFn: (change: (plan: PlanDocument) => void) => {
      const plan = structuredClone(view.plan);
      const place = JSON.stringify(plan.place);
      change(plan);
      if (JSON.stringify(plan.place) !== place) set({ selected: null, hovered: null });
      return postJson(`/api/studies/${study.id}/plans`, { parent_id: study.head_id, document: plan });
    },
    onSettled: () => cache.invalidateQueries({ queryKey: ["study"] }),
  });
}
