/** What comes from the server, each under a key that says what it depends on. */

import { keepPreviousData, type QueryClient, useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";
import {
  type Areas,
  type Classes,
  classesOf,
  fetchClasses,
  fetchKinds,
  fetchMeasure,
  fetchNames,
  fetchPoints,
  fetchShapes,
  fetchTrial,
  fetchValues,
  type GridTrial,
  type Names,
  type OneMeasure,
  resultsOf,
  type Shapes,
  type Values,
} from "../api/bulk";
import {
  getJson,
  type Job,
  type PlanVersion,
  postJson,
  Refusal,
  type Schemas,
  type Source,
  type Study,
  type Tally,
  type View,
} from "../api/client";
import { mappedColours, mappedMeasure, mappedName } from "../plan/mapped";
import { replaceMeasure } from "../plan/measures";
import type { Classing, Condition, FromTable, Measure, Place, Plan } from "../plan/types";
import { same } from "../records";
import { type Asked, refused, useAnswer, useAnswers, useAsked, useAskedEach, useTold } from "./asked";
import { type Edit, EditQueue, merged, type Server } from "./edits";
import { useDoing } from "./store";

/** What does not change under its key; nothing stands in for it. */
const FIRM = { staleTime: Number.POSITIVE_INFINITY } as const;
export const KEPT = { placeholderData: keepPreviousData, staleTime: Number.POSITIVE_INFINITY } as const;

/** All studies, oldest first; asked for again while there is none that can be shown. */
export function useStudies() {
  return useAsked("The studies", {
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
      set({ study: study.id, keeping: false, sheet: null, rows: null, selected: null, hovered: null });
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

/** What was handed on last from a study. */
export function useHandedOn(view: View) {
  return useAsked("What was handed on last", {
    queryKey: ["handed on", view.study, view.version],
    queryFn: () => getJson<Schemas["HandedOn"]>(`/api/studies/${view.study}/handed-on`),
    refetchOnMount: "always",
  });
}

/** What was found of the records. */
export function useFindings(view: View, wanted: boolean) {
  return useAsked("What was found of the records", {
    queryKey: ["findings", view.study, view.keys.placed],
    queryFn: () => getJson<Schemas["FindingsView"]>(`${resultsOf(view)}/findings`),
    enabled: wanted,
    ...KEPT,
  });
}

/** What a filter of the events keeps, and by what; of the mapped events where no others are named. */
export function useTally(view: View, where: readonly Condition[], events = view.events_name) {
  return useAsked("The counts of the filter", {
    queryKey: [
      "tally",
      view.study,
      events === view.events_name ? view.keys.gathered : view.version,
      events,
      where,
    ],
    queryFn: () => postJson<Tally>(`${resultsOf(view)}/tally`, { where, events }),
    ...KEPT,
  });
}

/** All measures of the study, each with the key of its values. */
export function useMeasures(view: View, wanted: boolean) {
  return useAsked("The other measures", {
    queryKey: ["measures", view.study, view.keys.measures],
    queryFn: async () =>
      (await getJson<{ measures: Schemas["MeasureSummary"][] }>(`${resultsOf(view)}/measures`)).measures,
    enabled: wanted && Object.keys(view.plan.measure).length > 1,
    ...KEPT,
  });
}

/** A measure that is not mapped, with its values. */
export interface Beside {
  name: string;
  values: OneMeasure;
}

/** The values of the other measures that came so far. */
export function useOtherMeasures(view: View, wanted: boolean): readonly Beside[] {
  const all = useAnswer(useMeasures(view, wanted));
  const others = all?.filter((m) => m.name !== view.measure && !m.fault && m.name in view.plan.measure);
  return useAnswers(
    useAskedEach<Beside>(
      "A measure beside this one",
      others?.map((m) => ({
        queryKey: ["measure", view.study, m.name, m.key],
        queryFn: async () => ({ name: m.name, values: await fetchMeasure(resultsOf(view), m.name, m.key) }),
        enabled: wanted,
        ...KEPT,
      })) ?? [],
    ),
  );
}

/** How many events of each kind each area has, where the mapped measure looks at kinds. */
export function useKinds(view: View, wanted: boolean) {
  return useAsked("The kinds of events", {
    queryKey: ["kinds", view.study, view.keys.measured],
    queryFn: () => fetchKinds(resultsOf(view), view.keys.measured),
    enabled: wanted && view.by_kind,
    ...KEPT,
  });
}

/** What a formula comes to while it is written. */
export function useFormula(view: View, text: string, about: string | null, area: number | null) {
  return useAsked("What the formula comes to", {
    queryKey: ["formula", view.study, view.version, text, about, area],
    queryFn: () => postJson<Schemas["FormulaView"]>(`${resultsOf(view)}/formula`, { text, about, area }),
    ...KEPT,
  });
}

export type Offers = Schemas["OffersView"];

/** What could stand in the sum. */
export function useOffers(view: View, wanted: boolean) {
  return useAsked("What can stand in the sum", {
    queryKey: ["offers", view.study, view.version, Object.keys(view.plan.gather.events)],
    queryFn: () => getJson<Offers>(`${resultsOf(view)}/offers`),
    enabled: wanted && !view.fault,
    ...KEPT,
  });
}

/**
 * Change the mapped measure. It is tried out first: where it cannot be worked out the plan stays as it was, and what
 * was tried stays at hand, so that the question that it raises can be answered.
 */
export function useChangeMeasure(study: Study, view: View) {
  const [tried, setTried] = useState<{ measure: Measure; refusal: string; of: string } | null>(null);
  const queue = useEdits(study, view);
  const asked = useAsked("The multiplier that reads best", {
    // Which multiplier reads best hangs on all of the measure but the multiplier.
    queryKey: [
      "measure trial",
      view.study,
      { ...view.keys, measured: "", classed: "" },
      { ...mappedMeasure(view.plan), per: 1 },
    ],
    queryFn: () => tryMeasure(resultsOf(view), mappedMeasure(view.plan)),
    enabled: !view.fault,
    ...KEPT,
  });
  const attempt = useMutation({
    mutationFn: async ({ measure, rescale }: { measure: Measure; rescale: boolean }) => {
      const before = mappedMeasure(view.plan);
      const on = (plan: Plan) => merged(before, measure, mappedMeasure(plan));
      proposed.set(JSON.stringify(before), view.proposed_name);
      setTried(null);
      const edit: Edit<Plan> = {
        ask: async (plan, base) => {
          const trial = await tryMeasure(resultsOf({ study: study.id, version: base.id }), on(plan));
          if (trial.refusal) throw new Refused(on(plan), trial.refusal, mappedName(plan));
          return trial;
        },
        apply: (plan, told) => {
          const wanted = on(plan);
          const trial = told as Schemas["TrialView"] | undefined;
          if (!trial) return replaceMeasure(plan, mappedName(plan), wanted, { before: "", after: "" });
          const after = rescale ? trial.readable_name : trial.name;
          const fitting = rescale ? { ...wanted, per: trial.per } : wanted;
          const called = proposed.get(JSON.stringify(mappedMeasure(plan))) ?? "";
          proposed.set(JSON.stringify(fitting), after);
          replaceMeasure(plan, mappedName(plan), fitting, { before: called, after });
        },
      };
      await queue.add(edit).catch((error: unknown) => {
        if (!(error instanceof Refused)) throw error;
        setTried({ measure: error.measure, refusal: error.message, of: error.of });
      });
    },
  });
  const open = tried?.of === mappedName(view.plan) ? tried : null;
  return {
    change: (measure: Measure, how: { rescale: boolean } = { rescale: false }) =>
      attempt.mutate({ measure, rescale: how.rescale }),
    tried: open?.measure ?? null,
    refusal: open?.refusal ?? attempt.error?.message ?? "",
    /** The stage at which that is put right. */
    stage: !open && attempt.error instanceof Refusal ? attempt.error.stage : "",
    pending: attempt.isPending,
    readable: useAnswer(asked)?.per ?? 1,
  };
}

/** What a measure would be called that has been looked at: it goes by that name as long as nobody gives it another. */
const proposed = new Map<string, string>();

/** A measure that cannot be worked out, which is not saved and stays to be put right. */
class Refused extends Error {
  constructor(
    readonly measure: Measure,
    says: string,
    readonly of: string,
  ) {
    super(says);
  }
}

function tryMeasure(results: string, measure: Measure) {
  return postJson<Schemas["TrialView"]>(`${results}/measure-trial`, { measure });
}

/** The account of events that the map does not count. */
export function useAccount(view: View, events: string) {
  return useAsked("The account", {
    queryKey: ["account", view.study, view.version, events],
    queryFn: () =>
      getJson<Schemas["EventsAccount"]>(`${resultsOf(view)}/accounts/${encodeURIComponent(events)}`),
    ...KEPT,
  });
}

/** The same for the rows of a table. */
export function useRowTally(study: Study, source: string | undefined, where: readonly Condition[]) {
  return useAsked("The rows of the table", {
    queryKey: ["row tally", study.id, source, where],
    queryFn: () => postJson<Tally>(`/api/studies/${study.id}/sources/${source}/tally`, { where }),
    enabled: source !== undefined,
    ...KEPT,
  });
}

export type Proposal = Schemas["ProposalView"];

/** What the rows of a table would come to as what to divide by. */
export function useProposal(view: View, denominator: FromTable | undefined) {
  return useAsked("What the table comes to", {
    queryKey: ["denominator", view.study, view.keys.areas, denominator],
    queryFn: () => postJson<Proposal>(`${resultsOf(view)}/denominator`, denominator),
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
  return useAsked("The demo", {
    queryKey: ["demo job"],
    queryFn: async () => (await getJson<{ job: Job | null }>("/api/demo")).job,
    enabled: wanted,
    refetchInterval: 400,
  });
}

export function useView(study: Study) {
  return useAsked("What the plan comes to", {
    queryKey: ["view", study.id, study.head_id],
    queryFn: () => getJson<View>(`/api/studies/${study.id}/plans/${study.head_id}/view`),
    ...KEPT,
  });
}

/** What is being worked out of the open version, asked for again and again while that is waited for. */
export function useUnderway(study: Study) {
  return useAsked("How far it is", {
    queryKey: ["underway", study.id, study.head_id],
    queryFn: () => getJson<Schemas["Underway"]>(`/api/studies/${study.id}/plans/${study.head_id}/underway`),
    refetchInterval: 400,
    gcTime: 0,
  });
}

/** A view, and the bulk that belongs to it. */
export interface Outcome {
  view: View;
  areas: Areas;
  shapes: Shapes;
}

const NOT_YET = { queryKey: ["not yet"], queryFn: () => null, enabled: false };

/**
 * What the page shows: only parts that belong together. While those of a newer view are on their way, the last that
 * were whole stay; each part is asked for under its own key, so that what did not change is there already.
 */
export function useOutcome(study: Study, view: View | undefined, level: number) {
  const sound = view && !view.fault ? view : undefined;
  const results = sound ? resultsOf(sound) : "";
  const part = <T>(name: string, key: string | undefined, ask: (key: string) => Promise<T>) =>
    key ? { queryKey: [name, study.id, key], queryFn: () => ask(key), ...FIRM } : NOT_YET;
  const asked = {
    names: useAsked<Names | null>(
      "The areas’ names",
      part("names", sound?.keys.areas, (key) => fetchNames(results, key)),
    ),
    values: useAsked<Values | null>(
      "The areas’ figures",
      part("values", sound?.keys.measured, (key) => fetchValues(results, key)),
    ),
    classes: useAsked<Classes | null>(
      "The areas’ classes",
      part("classes", sound?.keys.classed, (key) => fetchClasses(results, key)),
    ),
  };
  // A finer level takes the coarser one's place once it is there.
  const fine = sound?.kind === "cells" ? 0 : level;
  const askedShapes = useAsked<Shapes | null>(
    "The areas’ shapes",
    sound
      ? {
          queryKey: ["shapes", study.id, sound.keys.shapes, fine],
          queryFn: () => fetchShapes(results, sound.keys.shapes, fine),
          ...FIRM,
        }
      : NOT_YET,
  );
  const coarser = useRef<{ key: string; shapes: Shapes } | null>(null);
  const names = useAnswer(asked.names);
  const values = useAnswer(asked.values);
  const classes = useAnswer(asked.classes);
  const shapes = useAnswer(askedShapes);
  if (sound && shapes) coarser.current = { key: sound.keys.shapes, shapes };
  const drawn = shapes ?? (coarser.current?.key === sound?.keys.shapes ? coarser.current?.shapes : null);
  const areas = useMemo(
    () => (names && values && classes ? { ...names, ...values, ...classes } : null),
    [names, values, classes],
  );
  const last = useRef<(Outcome & { study: string }) | null>(null);
  if (sound && areas && drawn) {
    const now = last.current;
    if (now?.view !== sound || now.areas !== areas || now.shapes !== drawn)
      last.current = { study: study.id, view: sound, areas, shapes: drawn };
  }
  const shown = last.current?.study === study.id && !view?.fault ? last.current : null;
  const failed = [asked.names, asked.values, asked.classes, askedShapes].some((a) => a.failed !== null);
  return { shown, failed };
}

export function useSources(study: Study) {
  return useAsked("The study’s files", {
    queryKey: ["sources", study.id],
    queryFn: async () => (await getJson<{ sources: Source[] }>(`/api/studies/${study.id}/sources`)).sources,
    ...KEPT,
  });
}

export function usePlans(study: Study) {
  return useAsked("The plans of before", {
    queryKey: ["plans", study.id, study.head_id],
    queryFn: () => getJson<{ versions: PlanVersion[] }>(`/api/studies/${study.id}/plans`),
    ...KEPT,
  });
}

export function useSetAside(view: View, reason: string | null, wanted: boolean) {
  return useAsked("The records set aside", {
    queryKey: ["set aside", view.study, view.keys.placed, reason],
    queryFn: () =>
      getJson<Schemas["SetAsideRows"]>(
        `${resultsOf(view)}/set-aside?rows=5000${reason ? `&reason=${encodeURIComponent(reason)}` : ""}`,
      ),
    enabled: wanted,
  });
}

const PAGE = 20_000;
const MOST_ROWS = 200_000;

/** The events of one area, any number of them: page after page. */
export function useAreaEvents(view: View, area: number | null) {
  return useAsked("The events of the area", {
    queryKey: ["area events", view.study, view.keys.placed, area],
    queryFn: async () => {
      const page = (start: number) =>
        getJson<Schemas["AreaEvents"]>(`${resultsOf(view)}/areas/${area}/events?start=${start}&rows=${PAGE}`);
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

export function useAreaProfile(view: View, area: number | null) {
  return useAsked("What is known of the area’s events", {
    queryKey: ["area profile", view.study, view.version, area],
    queryFn: () => getJson<Schemas["AreaProfile"]>(`${resultsOf(view)}/areas/${area}/profile`),
    enabled: area !== null,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** What a source of zones is like. */
export function useSurvey(study: Study, source: string, identifier: string | null, name: string | null) {
  const columns = `${identifier ? `&identifier=${encodeURIComponent(identifier)}` : ""}${name ? `&called=${encodeURIComponent(name)}` : ""}`;
  const path = `/api/studies/${study.id}/zones/${encodeURIComponent(source)}`;
  const survey = useAsked("What the zones are like", {
    queryKey: ["survey", path, columns],
    queryFn: () => getJson<Schemas["SurveyView"]>(`${path}/survey?${columns}`),
    ...KEPT,
  });
  return { survey, picture: (at: number) => `${path}/picture?at=${at}${columns}` };
}

export function usePicture(path: string) {
  return useAsked("The picture", {
    queryKey: ["picture", path],
    queryFn: () => getJson<Schemas["PictureView"]>(path),
    ...KEPT,
  });
}

/** The columns of the open areas' zones, and what stands in them. */
export function useAreaColumns(view: View) {
  return useAsked("The columns of the areas", {
    queryKey: ["area columns", view.study, view.keys.areas],
    queryFn: async () =>
      (await getJson<Schemas["ZoneColumnsView"]>(`${resultsOf(view)}/area-columns`)).columns,
    ...KEPT,
  });
}

/** Grids tried out, in the order of the places asked for. */
export function useTrials(view: View, places: readonly Place[]): readonly Asked<GridTrial>[] {
  return useAskedEach<GridTrial>(
    "The grid that is tried",
    places.map((place) => ({
      queryKey: ["trial", view.study, view.keys.gathered, place],
      queryFn: () => fetchTrial(resultsOf(view), place),
      staleTime: Number.POSITIVE_INFINITY,
    })),
  );
}

/** What other ways of classing the mapped measure would come to. */
export function useComparedWays(view: View, ways: readonly Classing[]) {
  return useAsked("The other ways of classing", {
    queryKey: ["ways", view.study, view.keys.measured, view.keys.areas, mappedColours(view.plan), ways],
    queryFn: () => postJson<Schemas["WaysView"]>(`${resultsOf(view)}/classes/compared`, { ways }),
    ...KEPT,
  });
}

/** How wide cells would be at first, by where the events lie. */
export function useFirstSize(view: View) {
  return useAsked("How wide cells would be", {
    queryKey: ["first size", view.study, view.keys.looked, view.plan.place.projection],
    queryFn: () => getJson<Schemas["FirstSize"]>(`${resultsOf(view)}/first-size`),
    ...KEPT,
  });
}

export function useProjection(view: View, projection: Place["projection"]) {
  return useAsked("The projection", {
    queryKey: ["projection", view.study, view.keys.looked, projection],
    queryFn: () => postJson<Schemas["ProjectionView"]>(`${resultsOf(view)}/projection`, projection),
    ...KEPT,
  });
}

export function usePoints(view: View, wanted: boolean) {
  return useAsked("The places of the events", {
    queryKey: ["points", view.study, view.keys.placed],
    queryFn: () => fetchPoints(resultsOf(view)),
    enabled: wanted,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export function useOutside(view: View) {
  return useAsked("The events in no area", {
    queryKey: ["outside", view.study, view.keys.placed],
    queryFn: () => getJson<Schemas["OutsideRows"]>(`${resultsOf(view)}/outside?rows=5000`),
    ...KEPT,
  });
}

export function useLabels(view: View) {
  return useAsked("What events say of their areas", {
    queryKey: ["labels", view.study, view.keys.placed],
    queryFn: () => getJson<Schemas["LabelsView"]>(`${resultsOf(view)}/labels`),
    ...KEPT,
  });
}

export function useDisagreeing(view: View) {
  return useAsked("The events in another area than they state", {
    queryKey: ["labels", "rows", view.study, view.keys.placed],
    queryFn: () => getJson<Schemas["SetAsideRows"]>(`${resultsOf(view)}/labels/events?rows=5000`),
  });
}

export function usePlacedEvents(view: View, filter: string) {
  return useAsked("The placed events", {
    queryKey: ["placed", view.study, view.keys.placed, view.plan.place.carry, filter],
    queryFn: () => getJson<Schemas["SetAsideRows"]>(`${resultsOf(view)}/events?rows=5000${filter}`),
    ...KEPT,
  });
}

export function useCompleteness(view: View, column: string) {
  return useAsked("How many could be placed", {
    queryKey: ["completeness", view.study, view.keys.placed, column],
    queryFn: () =>
      getJson<Schemas["CompletenessView"]>(
        `${resultsOf(view)}/completeness${column ? `?column=${encodeURIComponent(column)}` : ""}`,
      ),
    ...KEPT,
  });
}

/** Map areas by a figure of theirs, without any events. */
export function useFirstPlan(study: Study) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (zones: string) => postJson(`/api/studies/${study.id}/first-plan`, { zones }),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["study"] }),
  });
}

export type Save = (change: (plan: Plan) => void) => void;

const queues = new Map<string, EditQueue<Plan>>();

/** The one queue of changes of a study: a version that the page has met by another way is its base. */
export function useEdits(study: Study, view: View): EditQueue<Plan> {
  const cache = useQueryClient();
  let queue = queues.get(study.id);
  if (!queue) {
    queue = new EditQueue({ id: view.version, plan: view.plan }, planServer(study.id, cache));
    queues.set(study.id, queue);
  }
  useEffect(() => queue.meet({ id: view.version, plan: view.plan }), [queue, view]);
  return queue;
}

/** The plan as the user has it: what is saved, with all changes that wait to be. */
export function useShownPlan(study: Study, view: View): View {
  const queue = useEdits(study, view);
  const plan = useSyncExternalStore(queue.subscribe, queue.shown);
  return useMemo(
    () => (queue.knows(view.version) && plan !== view.plan ? { ...view, plan } : view),
    [queue, plan, view],
  );
}

/** How many changes wait because nobody answers. */
export function useUnsaved(study: Study, view: View): number {
  const queue = useEdits(study, view);
  useEffect(() => {
    const hold = (event: BeforeUnloadEvent) => {
      if (queue.unsaved) event.preventDefault();
    };
    window.addEventListener("beforeunload", hold);
    return () => window.removeEventListener("beforeunload", hold);
  }, [queue]);
  return useSyncExternalStore(queue.subscribe, () => (queue.silent ? queue.unsaved : 0));
}

function planServer(study: string, cache: QueryClient): Server<Plan> {
  const path = `/api/studies/${study}`;
  const meet = (version: string, view: View, classes: Schemas["ClassesView"] | null = null) => {
    // What it comes to came with it: the page knows the newer version without asking.
    cache.setQueryData(["view", study, version], view);
    if (classes) cache.setQueryData(["classes", study, view.keys.classed], classesOf(classes));
    cache.setQueryData<Study[]>(["study"], (all) =>
      all?.map((s) => (s.id === study ? { ...s, head_id: version } : s)),
    );
    return { id: version, plan: view.plan };
  };
  return {
    save: async (id, parent_id, document) => {
      const body = { id, parent_id, document };
      const done = await postJson<{ id: string; view: View; classes: Schemas["ClassesView"] | null }>(
        `${path}/plans`,
        body,
      );
      return meet(done.id, done.view, done.classes);
    },
    latest: async () => {
      const { head_id } = await getJson<Study>(path);
      return meet(head_id!, await getJson<View>(`${path}/plans/${head_id}/view`));
    },
    meaning: (error) => {
      if (!(error instanceof Refusal)) return "refused";
      // Without a session nothing is lost either: it waits for a fresh one.
      if ([0, 401, 503].includes(error.status)) return "unreachable";
      return error.status === 409 ? "conflict" : "refused";
    },
  };
}

/** Change the plan: at once on the page, and saved as a new version in its turn. What is refused is said in its room. */
export function useSavePlan(study: Study, view: View) {
  const set = useDoing((d) => d.set);
  const queue = useEdits(study, view);
  const save = useMutation({
    mutationFn: (change: (plan: Plan) => void) => {
      const place = queue.shown().place;
      const saved = queue.add({ apply: change });
      if (!same(queue.shown().place, place)) set({ selected: null, hovered: null });
      return saved;
    },
  });
  useTold(save.error && refused("This was not changed", save.error, save.reset));
  return save;
}
