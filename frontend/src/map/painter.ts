/** The worker and its canvas, as the page sees them. */
import { useEffect, useMemo, useRef } from "react";
import type { Shapes } from "../api/bulk";
import type { View } from "../geometry/view";
import type { Dots } from "./dots";
import type { InsetBox } from "./insets";
import type { Look } from "./paint";
import type { Drawn, DrawnGrid, FromWorker, ToWorker } from "./worker";

const STILL_AFTER_MS = 140;

interface Size {
  width: number;
  height: number;
}

export interface Painter {
  shapes(shapes: Shapes): void;
  /** From the bottom up. */
  layers(layers: Drawn[]): void;
  dots(dots: Dots | null): void;
  grids(grids: DrawnGrid[]): void;
  draw(view: View, size: Size, look: Look, insets: readonly InsetBox[]): void;
  /** Ask which area is there: the one under the pointer, or the one chosen by a click. */
  point(x: number, y: number, chosen?: boolean): void;
}

/** A worker that paints. */
export function painterWorker(): Worker {
  return new Worker(new URL("./worker.ts", import.meta.url), { type: "module" });
}

/** The worker and its canvas. One frame is asked for at a time; meanwhile the last bitmap is moved. */
export function usePainter(
  frame: React.RefObject<HTMLDivElement | null>,
  onArea: (area: number | null, chosen: boolean) => void,
): Painter {
  const told = useRef(onArea);
  told.current = onArea;
  const api = useRef<Painter | null>(null);
  const queue = useRef<((p: Painter) => void)[]>([]);
  useEffect(() => {
    const canvas = document.createElement("canvas");
    Object.assign(canvas.style, {
      position: "absolute",
      left: "0",
      top: "0",
      width: "100%",
      height: "100%",
      transformOrigin: "0 0",
    });
    frame.current!.append(canvas);
    const worker = painterWorker();
    const send = (message: ToWorker, transfer: Transferable[] = []) => worker.postMessage(message, transfer);
    const offscreen = canvas.transferControlToOffscreen();
    send({ kind: "canvas", canvas: offscreen }, [offscreen]);
    let wanted: { view: View; size: Size; look: Look; insets: readonly InsetBox[] } | null = null;
    let shown: View | null = null;
    let busy = false;
    // What was asked for while a frame was being painted.
    let next: { still: boolean } | null = null;
    let timer = 0;
    let number = 0;
    const place = () => {
      if (!wanted || !shown) return;
      const k = wanted.view.scale / shown.scale;
      const dx = (shown.left - wanted.view.left) * wanted.view.scale;
      const dy = (wanted.view.top - shown.top) * wanted.view.scale;
      canvas.style.transform =
        k === 1 && dx === 0 && dy === 0 ? "" : `translate(${dx}px, ${dy}px) scale(${k})`;
    };
    const ask = (still: boolean) => {
      if (!wanted) return;
      if (busy) {
        next = { still };
        return;
      }
      [busy, next] = [true, null];
      send({
        kind: "frame",
        frame: ++number,
        ...wanted.size,
        view: wanted.view,
        look: wanted.look,
        insets: wanted.insets,
        ratio: window.devicePixelRatio || 1,
        still,
      });
    };
    worker.onmessage = ({ data }: MessageEvent<FromWorker>) => {
      if (data.kind === "area") {
        told.current(data.area < 0 ? null : data.area, data.chosen);
        return;
      }
      if (data.kind !== "painted") return;
      canvas.dataset.still = String(data.still && !next);
      canvas.dataset.painted = String(data.frame);
      busy = false;
      shown = data.view;
      place();
      if (next) ask(next.still);
    };
    api.current = {
      shapes: (shapes) => send({ kind: "shapes", shapes }),
      layers: (layers) => send({ kind: "layers", layers }),
      dots: (dots) => send({ kind: "dots", dots }),
      grids: (grids) => send({ kind: "grids", grids }),
      draw: (view, size, look, insets) => {
        wanted = { view, size, look, insets };
        canvas.dataset.still = "false";
        place();
        ask(false);
        window.clearTimeout(timer);
        timer = window.setTimeout(() => ask(true), STILL_AFTER_MS);
      },
      point: (x, y, chosen = false) => send({ kind: "point", x, y, chosen }),
    };
    for (const act of queue.current.splice(0)) act(api.current);
    return () => {
      window.clearTimeout(timer);
      worker.terminate();
      canvas.remove();
      api.current = null;
    };
  }, [frame]);
  return useMemo(() => {
    const now = (act: (p: Painter) => void) => (api.current ? act(api.current) : queue.current.push(act));
    return {
      shapes: (s) => void now((p) => p.shapes(s)),
      layers: (l) => void now((p) => p.layers(l)),
      dots: (d) => void now((p) => p.dots(d)),
      grids: (g) => void now((p) => p.grids(g)),
      draw: (v, s, l, i) => void now((p) => p.draw(v, s, l, i)),
      point: (x, y, chosen) => void now((p) => p.point(x, y, chosen)),
    };
  }, []);
}
