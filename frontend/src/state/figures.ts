/** The study's figures, and what a page would look like. */

import { keepPreviousData, useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { getJson, postJson, type Schemas, type Study } from "../api/client";
import type { FigurePlan } from "../plan/types";
import { useAnswer, useAsked } from "./asked";

export interface FigureView {
  id: string;
  name: string;
  version: string;
  moved_on: boolean;
  document: FigurePlan;
}

export type Preview = Schemas["PreviewView"];

export function useFigures(study: Study) {
  return useAsked("The pages", {
    queryKey: ["figures", study.id, study.head_id],
    queryFn: async () =>
      (await getJson<{ figures: FigureView[] }>(`/api/studies/${study.id}/figures`)).figures,
    placeholderData: keepPreviousData,
  });
}

/** The true page; the one before stands in until it has come, and where it cannot be drawn. */
export function usePreview(study: Study, figure: FigureView | undefined, pixels: number, page: number) {
  const last = useRef<Preview>(undefined);
  const asked = useAsked("The page", {
    queryKey: ["figure preview", study.id, figure?.version, figure?.document, pixels, page],
    queryFn: () =>
      postJson<Preview>(`/api/studies/${study.id}/plans/${figure!.version}/figure-preview`, {
        document: figure!.document,
        pixels,
        page,
      }),
    enabled: Boolean(figure) && pixels > 0,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });
  last.current = useAnswer(asked) ?? last.current;
  return { page: last.current, drawing: asked.asking };
}

type Draft = Pick<FigureView, "name" | "version"> & { document: FigurePlan | Record<string, never> };

/**
 * Add a figure, change one, or take one out; the list shows it at once. Changes are saved one after the other in the
 * order in which they were made, and the list is asked for anew once the last of them is.
 */
export function useFigureChanges(study: Study) {
  const cache = useQueryClient();
  const path = `/api/studies/${study.id}/figures`;
  const key = ["figures", study.id, study.head_id];
  const mutationKey = ["figures", study.id];
  const inTurn = { mutationKey, scope: { id: mutationKey.join(" ") } };
  const refresh = () =>
    cache.isMutating({ mutationKey }) > 1 ? undefined : cache.invalidateQueries({ queryKey: mutationKey });
  const add = useMutation({
    ...inTurn,
    mutationFn: (draft: Draft) => postJson<FigureView>(path, draft),
    onSettled: refresh,
  });
  const change = useMutation({
    ...inTurn,
    mutationFn: ({ id, ...draft }: Draft & { id: string }) =>
      postJson<FigureView>(`${path}/${id}`, draft, "PUT"),
    onMutate: async (draft) => {
      await cache.cancelQueries({ queryKey: key });
      const before = cache.getQueryData<FigureView[]>(key);
      cache.setQueryData<FigureView[]>(key, (all) =>
        all?.map((f) => (f.id === draft.id ? ({ ...f, ...draft } as FigureView) : f)),
      );
      return before;
    },
    onError: (_error, _draft, before) => cache.setQueryData(key, before),
    onSettled: refresh,
  });
  const remove = useMutation({
    ...inTurn,
    mutationFn: (id: string) => postJson<null>(`${path}/${id}`, undefined, "DELETE"),
    onSettled: refresh,
  });
  return { add, change, remove };
}
