/** Small maps of the same areas, drawn by the map's own painter. */
import { useEffect, useRef, useState } from "react";
import type { Areas, Shapes } from "../api/bulk";
import type { View as Outcome } from "../api/client";
import { INK } from "../theme";
import { boxesOf, fittedBeside } from "./insets";
import { type Coloured, drawnWith } from "./look";
import { packed } from "./paint";
import { painterWorker } from "./painter";
import type { FromWorker, SmallMaps, ToWorker } from "./worker";

const MARGIN = 6;
const NOWHERE = { left: 0, top: 0, right: 0, bottom: 0 };

/** Small maps of some areas, whole and beside their boxes: one for each way of colouring them. */
export function smallMapsOf(
  { plan }: Outcome,
  areas: Areas,
  shapes: Shapes,
  frame: { width: number; height: number },
  looks: readonly Coloured[],
): SmallMaps {
  const insets = boxesOf(shapes.insets, frame, NOWHERE);
  const view = fittedBeside(shapes.bounds, frame, NOWHERE, insets, MARGIN);
  const drawn = drawnWith(areas, view.scale, plan.show);
  return {
    ...frame,
    view,
    ratio: window.devicePixelRatio || 1,
    insets,
    line: packed(INK),
    looks: looks.map((look) => ({ ...look, ...drawn, marked: [] })),
  };
}

/** The pictures of the last request that was answered; none before the first is. */
export function useSmallMaps(shapes: Shapes, maps: SmallMaps | null): readonly ImageData[] {
  const worker = useRef<Worker | null>(null);
  const request = useRef(0);
  const [pictures, setPictures] = useState<readonly ImageData[]>([]);
  useEffect(() => {
    const painter = painterWorker();
    painter.onmessage = ({ data }: MessageEvent<FromWorker>) => {
      if (data.kind === "small" && data.request === request.current)
        setPictures(data.pictures.map((p) => new ImageData(p, data.width, data.height)));
    };
    worker.current = painter;
    return () => painter.terminate();
  }, []);
  const send = (message: ToWorker) => worker.current?.postMessage(message);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the shapes go first, and anew only when they change
  useEffect(() => send({ kind: "shapes", shapes }), [shapes]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other shapes want other pictures
  useEffect(() => {
    if (maps) send({ kind: "small", request: ++request.current, ...maps });
  }, [maps, shapes]);
  return pictures;
}
