/** What comes from the server, each under a key that says what it depends on. */

import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  fetchAreas,
  fetchLines,
  fetchOver,
  fetchPoints,
  fetchShapes,
  fetchTrial,
  type GridTrial,
  type Lines,
} from "../api/bulk";
import {
  getJson,
  type Job,
  type PlanVersion,
  postJson,
  type Schemas,
  type Source,
  type Study,
  type Tally,
  type View,
} from "../api/client";
import type { Condition, FromTable, Place, Plan } from "../plan/types";
import { useDoing } from "./store";

const KEPT = { placeholderData: keepPreviousData, staleTime: Number.POSITIVE_INFINITY } as const;

/** All studies, oldest first; asked for again while there is none that can be shown. */
export function useStudies() {
  return useQuery({
    queryKey: ["study"],
    queryFn: async () => (await getJson<{ studies: Study[] }>("/api/studies")).studies,
    refetchInterval: (query) => (query.state.data?.some((s) => s.head_id) ? false : 700),
  });
}

export function useNewStudy() {
  const cache = useQueryClient();
  const set = useDoing((d) => d.set);
  return useMutation({
    mutationFn: (name: string) => postJson<Study>("/api/studies", { name }),
    onSuccess: async (study) => {
      await cache.invalidateQueries({ queryKey: ["study"] });
      set({ study: study.id, sheet: null, rows: null, selected: null, hovered: null });
    },
  });
}

export function useLoadDemo() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => postJson<Job>("/api/demo", {}),
    onSettled: () => cache.invalidateQueries({ queryKey: ["demo job"] }),
  });
}

/** What was found of the open plan's records. */
export function useFindings(study: Study, wanted: boolean) {
  return useQuery({
    queryKey: ["findings", study.id, study.head_id],
    queryFn: () => getJson<Schemas["FindingsView"]>(`/api/studies/${study.id}/findings`),
    enabled: wanted,
    ...KEPT,
  });
}

/** What the open plan's filter keeps, and by what. */
export function useTally(study: Study, where: readonly Condition[]) {
  return useQuery({
    queryKey: ["tally", study.id, study.head_id, where],
    queryFn: () => postJson<Tally>(`/api/studies/${study.id}/tally`, { where }),
    ...KEPT,
  });
}

/** The same for the rows of a table. */
export function useRowTally(study: Study, source: string | undefined, where: readonly Condition[]) {
  return useQuery({
    queryKey: ["row tally", study.id, source, where],
    queryFn: () => postJson<Tally>(`/api/studies/${study.id}/sources/${source}/tally`, { where }),
    enabled: source !== undefined,
    ...KEPT,
  });
}

export type Proposal = Schemas["ProposalView"];

/** What the rows of a table would come to as what to divide by. */
export function useProposal(study: Study, denominator: FromTable | undefined) {
  return useQuery({
    queryKey: ["denominator", study.id, study.head_id, denominator],
    queryFn: () => postJson<Proposal>(`/api/studies/${study.id}/denominator`, denominator),
    enabled: denominator !== undefined,
    ...KEPT,
  });
}

export function useDescribeSource(study: Study) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (change: { id: string; role?: string; facts?: Record<string, unknown> }) => {
      const { id, ...body } = change;
      return postJson<Source>(`/api/studies/${study.id}/sources/${id}`, body, "PATCH");
    },
    onSettled: () => cache.invalidateQueries({ queryKey: ["sources", study.id] }),
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
    queryKey: [
      "shapes",
      study.id,
      view?.plan.place,
      view?.plan.show.insets,
      view?.plan.place.areas.kind === "grid" ? 0 : level,
    ],
    queryFn: () => fetchShapes(study.id, level),
    enabled: view !== undefined,
    ...KEPT,
  });
}

/** The lines of every reference source that has come so far. */
export function useReferences(study: Study, view: View): readonly Lines[] {
  const sources = useSources(study).data ?? [];
  return useQueries({
    queries: sources
      .filter((s) => s.role === "reference")
      .map((s) => ({
        queryKey: ["lines", study.id, s.id, view.plan.place],
        queryFn: () => fetchLines(study.id, s.name),
        ...KEPT,
      })),
    combine: allThatCame,
  });
}

function allThatCame(results: readonly { data?: Lines }[]): readonly Lines[] {
  return results.flatMap((r) => (r.data ? [r.data] : []));
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

const PAGE = 20_000;
const MOST_ROWS = 200_000;

/** The events of one area, any number of them: page after page. */
export function useAreaEvents(study: Study, area: number | null) {
  return useQuery({
    queryKey: ["area events", study.id, study.head_id, area],
    queryFn: async () => {
      const page = (start: number) =>
        getJson<Schemas["AreaEvents"]>(
          `/api/studies/${study.id}/areas/${area}/events?start=${start}&rows=${PAGE}`,
        );
      const found = await page(0);
      while (found.rows.length < Math.min(found.total, MOST_ROWS)) {
        const more = await page(found.rows.length);
        if (!more.rows.length) break;
        found.rows.push(...more.rows);
      }
      return found;
    },
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

/** What a source of zones is like. */
export function useSurvey(study: Study, source: string, identifier: string | null, name: string | null) {
  const columns = `${identifier ? `&identifier=${encodeURIComponent(identifier)}` : ""}${name ? `&called=${encodeURIComponent(name)}` : ""}`;
  const path = `/api/studies/${study.id}/zones/${encodeURIComponent(source)}`;
  const survey = useQuery({
    queryKey: ["survey", path, columns],
    queryFn: () => getJson<Schemas["SurveyView"]>(`${path}/survey?${columns}`),
    ...KEPT,
  });
  return { survey, picture: (at: number) => `${path}/picture?at=${at}${columns}` };
}

export function usePicture(path: string) {
  return useQuery({
    queryKey: ["picture", path],
    queryFn: () => getJson<Schemas["PictureView"]>(path),
    ...KEPT,
  });
}

/** The columns of the open areas' zones, and what stands in them. */
export function useAreaColumns(study: Study, view: View) {
  const areas = view.plan.place.areas;
  return useQuery({
    queryKey: ["area columns", study.id, areas.kind === "zones" ? areas.source : areas.cover],
    queryFn: async () =>
      (await getJson<Schemas["ZoneColumnsView"]>(`/api/studies/${study.id}/area-columns`)).columns,
    ...KEPT,
  });
}

/** Grids tried out, in the order of the places asked for; those that came. */
export function useTrials(study: Study, places: readonly Place[]) {
  return useQueries({
    queries: places.map((place) => ({
      queryKey: ["trial", study.id, study.head_id, place],
      queryFn: () => fetchTrial(study.id, place),
      staleTime: Number.POSITIVE_INFINITY,
      retry: false,
    })),
  }) as { data?: GridTrial; error: Error | null; isPending: boolean }[];
}

export function useProjection(study: Study, projection: Place["projection"]) {
  return useQuery({
    queryKey: ["projection", study.id, study.head_id, projection],
    queryFn: () => postJson<Schemas["ProjectionView"]>(`/api/studies/${study.id}/projection`, projection),
    retry: false,
    ...KEPT,
  });
}

export function usePoints(study: Study, wanted: boolean) {
  return useQuery({
    queryKey: ["points", study.id, study.head_id],
    queryFn: () => fetchPoints(study.id),
    enabled: wanted,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** The outlines of the plan's upper level. */
export function useOver(study: Study, view: View) {
  return useQuery({
    queryKey: ["over", study.id, view.plan.place, view.plan.show.over],
    queryFn: () => fetchOver(study.id),
    enabled: Boolean(view.plan.show.over),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function useOutside(study: Study) {
  return useQuery({
    queryKey: ["outside", study.id, study.head_id],
    queryFn: () => getJson<Schemas["OutsideRows"]>(`/api/studies/${study.id}/outside?rows=5000`),
    ...KEPT,
  });
}

export function useLabels(study: Study) {
  return useQuery({
    queryKey: ["labels", study.id, study.head_id],
    queryFn: () => getJson<Schemas["LabelsView"]>(`/api/studies/${study.id}/labels`),
    ...KEPT,
  });
}

export function useDisagreeing(study: Study) {
  return useQuery({
    queryKey: ["labels", "rows", study.id, study.head_id],
    queryFn: () => getJson<Schemas["SetAsideRows"]>(`/api/studies/${study.id}/labels/events?rows=5000`),
  });
}

export function usePlacedEvents(study: Study, filter: string) {
  return useQuery({
    queryKey: ["placed", study.id, study.head_id, filter],
    queryFn: () => getJson<Schemas["SetAsideRows"]>(`/api/studies/${study.id}/events?rows=5000${filter}`),
    ...KEPT,
  });
}

export function useCompleteness(study: Study, column: string) {
  return useQuery({
    queryKey: ["completeness", study.id, study.head_id, column],
    queryFn: () =>
      getJson<Schemas["CompletenessView"]>(
        `/api/studies/${study.id}/completeness${column ? `?column=${encodeURIComponent(column)}` : ""}`,
      ),
    ...KEPT,
  });
}

export type Save = (change: (plan: Plan) => void) => void;

/** The latest version that this page saved, the versions that it came after, and the saving that is under way. */
let saved: { id: string; after: Set<string>; plan: Plan } | null = null;
let saving: Promise<unknown> = Promise.resolve();

/**
 * Save a changed plan as a new version after the open one. Changes asked for while one is being saved wait for it and
 * are made on what it came to, so that none is lost.
 */
export function useSavePlan(study: Study, view: View) {
  const cache = useQueryClient();
  const set = useDoing((d) => d.set);
  return useMutation({
    mutationFn: (change: (plan: Plan) => void) => {
      const turn = saving.then(async () => {
        const ours = saved && (saved.id === view.version || saved.after.has(view.version)) ? saved : null;
        const plan = structuredClone(ours?.plan ?? view.plan);
        const place = JSON.stringify(plan.place);
        change(plan);
        if (JSON.stringify(plan.place) !== place) set({ selected: null, hovered: null });
        const parent = ours?.id ?? view.version;
        const body = { parent_id: parent, document: plan };
        const { id, document } = await postJson<Schemas["SavedPlan"]>(`/api/studies/${study.id}/plans`, body);
        saved = { id, after: new Set(ours?.after ?? []).add(parent), plan: document as Plan };
      });
      saving = turn.catch(() => {
        saved = null;
      });
      return turn;
    },
    onSettled: () => cache.invalidateQueries({ queryKey: ["study"] }),
  });
}
