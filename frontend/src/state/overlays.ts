/** What lies over the areas, as it comes from the server. */
import {
  fetchAnchors,
  fetchDegrees,
  fetchDots,
  fetchLabelTexts,
  fetchLines,
  fetchOver,
  fetchReferenceNames,
  type Lines,
  type Named,
  resultsOf,
} from "../api/bulk";
import { postJson, type Schemas, type Study, type View } from "../api/client";
import type { Box } from "../geometry/view";
import type { Reference } from "../plan/types";
import { useAnswer, useAnswers, useAsked, useAskedEach } from "./asked";
import { KEPT, useSources } from "./queries";

/** The lines of every reference source that has come so far. */
export function useReferences(study: Study, view: View): readonly Lines[] {
  const references = useAnswer(useSources(study))?.filter((s) => s.role === "reference");
  return useAnswers(
    useAskedEach<Lines>(
      "A reference layer",
      references?.map((s) => ({
        queryKey: ["lines", study.id, s.id, view.keys.shapes],
        queryFn: () => fetchLines(resultsOf(view), s.name, view.keys.shapes),
        ...KEPT,
      })) ?? [],
    ),
  );
}

/** The lines of latitude and longitude where the map is seen; while others are on their way, those before. */
export function useDegrees(view: View, seen: Box | null) {
  return useAsked("The lines of latitude and longitude", {
    queryKey: ["degrees", view.study, view.keys.shapes, seen],
    queryFn: () => fetchDegrees(resultsOf(view), view.keys.shapes, seen!),
    enabled: seen !== null,
    ...KEPT,
  });
}

/** The outlines of the plan's upper level. */
export function useOver(view: View) {
  return useAsked("The outlines of the upper level", {
    queryKey: ["over", view.study, view.keys.over],
    queryFn: () => fetchOver(resultsOf(view), view.keys.over),
    enabled: Boolean(view.plan.show.over),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Where the areas' labels stand. */
export function useAnchors(view: View, wanted: boolean) {
  return useAsked("Where labels stand", {
    queryKey: ["anchors", view.study, view.keys.shapes],
    queryFn: () => fetchAnchors(resultsOf(view), view.keys.shapes),
    enabled: wanted,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Of each label set, what is written in each area. */
export function useLabelTexts(view: View, wanted: boolean) {
  return useAsked("The labels", {
    queryKey: ["label texts", view.study, view.keys.labels],
    queryFn: () => fetchLabelTexts(resultsOf(view), view.keys.labels),
    enabled: wanted && Boolean(view.keys.labels),
    ...KEPT,
  });
}

/** What a label comes to in an area while it is written. */
export function useLabelTrial(view: View, text: string, area: number | null) {
  return useAsked("What the label comes to", {
    queryKey: ["label trial", view.study, view.version, text, area],
    queryFn: () =>
      postJson<Schemas["LabelView"]>(`${resultsOf(view)}/label-trial`, {
        text,
        area,
      } satisfies Schemas["LabelDraft"]),
    ...KEPT,
  });
}

/** The mapped events as dots. */
export function useEventDots(view: View, layer: { shown: boolean; by: string | null } | undefined) {
  const by = layer?.by ?? null;
  return useAsked("The events as dots", {
    queryKey: ["dots", view.study, view.keys.placed, by],
    queryFn: () => fetchDots(resultsOf(view), view.keys.placed, by),
    enabled: Boolean(layer?.shown),
    ...KEPT,
  });
}

/** The names of the references that are to have some. */
export function useReferenceNames(view: View, wanted: readonly Reference[]): readonly Named[] {
  return useAnswers(
    useAskedEach<Named>(
      "The names of a reference layer",
      wanted.map((layer) => ({
        queryKey: ["reference names", view.study, layer.source, layer.names, view.keys.shapes],
        queryFn: () => fetchReferenceNames(resultsOf(view), layer.source, view.keys.shapes, layer.names!),
        ...KEPT,
      })),
    ),
  );
}
