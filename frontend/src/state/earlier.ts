/** A map that comes to other figures than before: which, and both. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { fetchClassesOf, resultsOf } from "../api/bulk";
import { getJson, postJson, type Schemas, type View } from "../api/client";
import { useAsked } from "./asked";

type Cell = string | number | null;
export type Earlier = Schemas["EarlierView"];

export function useEarlierFigures(view: View) {
  return useAsked("The figures of before", {
    queryKey: ["earlier", view.study, view.version],
    queryFn: () => getJson<Schemas["EarlierRows"]>(`${resultsOf(view)}/earlier`),
    enabled: view.earlier?.kept ?? false,
  });
}

export function useEarlierClasses(view: View, wanted: boolean) {
  return useAsked("The classes of before", {
    queryKey: ["earlier classes", view.study, view.version],
    queryFn: () => fetchClassesOf(`${resultsOf(view)}/earlier/classes`),
    enabled: wanted,
  });
}

/** Go on with the figures of now. */
export function useTakeNow(view: View) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => postJson(`${resultsOf(view)}/earlier/taken`, {}),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["view", view.study] }),
  });
}

/** Both figures of each area that differs; of what is the same in all of them, nothing. */
export function tableOf(found: Schemas["EarlierRows"]) {
  const at = (column: string) => found.columns.indexOf(column);
  const cells =
    (column: string) =>
    (row: readonly Cell[]): Cell =>
      row[at(column)] ?? null;
  const told =
    (when: "then" | "now") =>
    (row: readonly Cell[]): Cell =>
      row[at(`value ${when}`)] ?? row[at(`state ${when}`)] ?? "no such area";
  const pair = (column: string, says: string, share: number) =>
    at(`${column} then`) >= 0 &&
    found.rows.some((row) => row[at(`${column} then`)] !== row[at(`${column} now`)])
      ? (["then", "now"] as const).map((when) => ({
          title: `${says} ${when}`,
          share,
          number: true,
          of: cells(`${column} ${when}`),
        }))
      : [];
  const columns = [
    { title: "area", share: 2, of: cells("name") },
    { title: "then", share: 1, number: true, of: told("then") },
    { title: "now", share: 1, number: true, of: told("now") },
    { title: "moved by", share: 1.1, number: true, of: cells("moved") },
    ...pair("numerator", "counted", 1.4),
    ...pair("denominator", "divided by", 1.6),
    ...pair("class", "class", 1.1),
  ];
  return {
    columns: columns.map(({ of: _, ...column }) => column),
    rows: found.rows.map((row) => columns.map((c) => c.of(row))),
  };
}
