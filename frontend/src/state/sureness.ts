/** How sure figures are and how areas compare, as the server says it. */
import { fetchFunnel, resultsOf } from "../api/bulk";
import { getJson, type Schemas, type View } from "../api/client";
import { useAsked } from "./asked";
import { KEPT } from "./queries";

/** What could make areas comparable. */
export function useComparable(view: View) {
  return useAsked("What could make areas comparable", {
    queryKey: ["comparable", view.study, view.version],
    queryFn: () => getJson<Schemas["ComparableOffers"]>(`${resultsOf(view)}/comparable`),
    enabled: !view.fault,
    ...KEPT,
  });
}

/** The value of all areas together for each text of one of their columns. */
export function useLarger(view: View, column: string) {
  return useAsked("The figures of larger areas", {
    queryKey: ["larger", view.study, view.keys.measured, column],
    queryFn: async () =>
      (
        await getJson<Schemas["LargerViews"]>(
          `${resultsOf(view)}/larger?column=${encodeURIComponent(column)}`,
        )
      ).larger,
    enabled: column !== "",
    ...KEPT,
  });
}

/** How many neighbours areas have, and which one of them has. */
export function useNeighbours(view: View, area: number | null) {
  return useAsked("The neighbours", {
    // By version: while a change waits the plan that is shown is not the one that is asked about.
    queryKey: ["neighbours", view.study, view.version, view.plan.place.neighbours, area],
    queryFn: () =>
      getJson<Schemas["NeighboursView"]>(
        `${resultsOf(view)}/neighbours${area === null ? "" : `?area=${area}`}`,
      ),
    ...KEPT,
  });
}

/** The funnel of the mapped measure: its limits, and each area's point. */
export function useFunnel(view: View) {
  return useAsked("The funnel", {
    queryKey: ["funnel", view.study, view.keys.measured],
    queryFn: async () => {
      const limits = await getJson<Schemas["FunnelView"]>(`${resultsOf(view)}/funnel`);
      return { limits, points: limits.key ? await fetchFunnel(resultsOf(view), limits.key) : null };
    },
    ...KEPT,
  });
}
