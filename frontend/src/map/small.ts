/** Small maps of the same areas, drawn by the map's own painter. */
import { useEffect, useRef, useState } from "react";
import type { Shapes } from "../api/bulk";
import { drawnShapes, painterWorker } from "./painter";
import type { FromWorker, SmallMaps, ToWorker } from "./worker";

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
  useEffect(() => send(drawnShapes(shapes)), [shapes]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other shapes want other pictures
  useEffect(() => {
    if (maps) send({ kind: "small", request: ++request.current, ...maps });
  }, [maps, shapes]);
  return pictures;
}
