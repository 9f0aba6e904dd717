/** The map: one canvas that a worker paints. Panning and zooming move the last bitmap; the crisp frame follows. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Areas, Shapes } from "../api/bulk";
import type { View as Outcome, Study } from "../api/client";
import { figure, plural } from "../format";
import { CARD_WIDTH, taken } from "../stages/place";
import { useLines } from "../state/queries";
import { useDoing } from "../state/store";
import { HATCH, INK, NO_VALUE, PAPER, WATER, ZERO } from "../theme";
import { classOf, NO_CLASS, ZERO_CLASS } from "./classes";
import { type Look, packed } from "./paint";
import { fitted, panned, scaleBar, type View, zoomed } from "./view";
import type { FromWorker, Line, ToWorker } from "./worker";

const STILL_AFTER_MS = 140;
const LINED_FROM_PIXELS = 90;

interface Props {
  study: Study;
  view: Outcome;
  areas: Areas;
  shapes: Shapes;
}

export function MapPane({ study, view: outcome, areas, shapes }: Props) {
  const { hovered, selected, sheet, set } = useDoing();
  const frameRef = useRef<HTMLDivElement>(null);
  const painter = usePainter(frameRef, (area) => {
    if (area !== useDoing.getState().hovered) set({ hovered: area < 0 ? null : area });
  });
  const size = useSize(frameRef);
  const [view, setView] = useState<View | null>(null);
  const look = useLook(outcome, areas, view, hovered, selected);
  const main = useLines(study, "roads", outcome).data;
  const coast = useLines(study, "coast", outcome).data;
  const lagoon = useLines(study, "lagoon", outcome).data;

  const free = { top: 0, bottom: 0, ...taken(sheet, selected !== null, window.innerWidth) };
  const all = size && fitted(shapes.bounds, size.width, size.height, free);
  const touched = useRef(false);
  const freeKey = JSON.stringify([free, size, shapes.bounds]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for what the fit depends on
  useEffect(() => {
    if (all && !touched.current) setView(all);
  }, [freeKey]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: new shapes begin with all of them in sight
  useEffect(() => {
    touched.current = false;
    if (all) setView(all);
    painter.shapes(shapes);
  }, [shapes]);

  useEffect(() => {
    const lines: Line[] = [];
    if (lagoon) lines.push({ rings: lagoon.rings, colour: "#7C8B8B", width: 1, fromScale: 0 });
    if (coast) lines.push({ rings: coast.rings, colour: "#5B6B6B", width: 1, fromScale: 0 });
    if (main) {
      for (const kind of ["street", "main road"]) {
        lines.push({
          rings: only(main, kind),
          colour: kind === "street" ? "rgba(31,41,51,0.28)" : "rgba(31,41,51,0.42)",
          width: kind === "street" ? 0.6 : 1,
          fromScale: kind === "street" ? 0.07 : 0.018,
        });
      }
    }
    painter.lines(lines);
  }, [main, coast, lagoon, painter]);

  useEffect(() => {
    if (view && size) painter.draw(view, size, look);
  }, [view, size, look, painter]);

  const least = all ? all.scale * 0.5 : 0;
  const most = all ? all.scale * 400 : 1;
  const move = (next: (v: View) => View) => {
    touched.current = true;
    setView((v) => v && next(v));
  };
  const zoom = (factor: number, x: number, y: number) => move((v) => zoomed(v, factor, x, y, least, most));
  const showAll = () => {
    touched.current = false;
    if (all) setView(all);
  };
  useGestures(frameRef, {
    pan: (dx, dy) => move((v) => panned(v, dx, dy)),
    zoom,
    point: (x, y) => painter.point(x, y),
    leave: () => set({ hovered: null }),
    click: () => set({ selected: useDoing.getState().hovered }),
  });
  const onKeyDown = (event: React.KeyboardEvent) => {
    const step = 60;
    const pan = { ArrowLeft: [step, 0], ArrowRight: [-step, 0], ArrowUp: [0, step], ArrowDown: [0, -step] }[
      event.key
    ];
    const [cx, cy] = [(size?.width ?? 0) / 2, (size?.height ?? 0) / 2];
    if (pan) move((v) => panned(v, pan[0], pan[1]));
    else if (event.key === "+" || event.key === "=") zoom(1.5, cx, cy);
    else if (event.key === "-" || event.key === "−") zoom(1 / 1.5, cx, cy);
    else if (event.key === "0") showAll();
    else return;
    event.preventDefault();
  };
  const bar = view && scaleBar(view.scale, 130);
  return (
    <Box sx={{ position: "absolute", inset: 0, bgcolor: WATER, overflow: "hidden" }}>
      <div
        ref={frameRef}
        role="application"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the map is moved with the arrow keys
        tabIndex={0}
        onKeyDown={onKeyDown}
        aria-label={`Map. ${summary(outcome)}`}
        data-testid="map"
        style={{ position: "absolute", inset: 0, cursor: "crosshair", touchAction: "none" }}
      />
      {hovered !== null && hovered < areas.name.length && (
        <Box
          data-testid="hovered"
          sx={{
            position: "absolute",
            left: 12,
            bottom: 12,
            px: 1.25,
            py: 0.5,
            bgcolor: PAPER,
            border: `1px solid ${INK}`,
            pointerEvents: "none",
          }}
        >
          <strong>{areas.name[hovered]}</strong> {valueText(areas, hovered)}
        </Box>
      )}
      <Box
        sx={{
          position: "absolute",
          right: selected === null ? 12 : CARD_WIDTH + 12,
          bottom: 12,
          display: "flex",
          gap: 1.5,
          alignItems: "flex-end",
        }}
      >
        {bar && (
          <Box
            sx={{
              fontSize: 12,
              color: INK,
              textAlign: "center",
              bgcolor: PAPER,
              border: `1px solid ${INK}`,
              px: 1,
              pb: 0.75,
            }}
            aria-label={`Scale: ${bar.text}`}
            role="img"
          >
            {bar.text}
            <Box sx={{ width: bar.pixels, height: 5, border: `1px solid ${INK}`, borderTop: 0 }} />
          </Box>
        )}
        <Box sx={{ display: "flex", bgcolor: PAPER, border: `1px solid ${INK}` }}>
          {(
            [
              ["Nearer", "+", () => size && zoom(1.5, size.width / 2, size.height / 2)],
              ["Farther", "−", () => size && zoom(1 / 1.5, size.width / 2, size.height / 2)],
              ["All of it", "All", showAll],
            ] as const
          ).map(([label, text, act]) => (
            <Button key={label} size="small" aria-label={label} onClick={act} sx={{ minWidth: 34, py: 0 }}>
              {text}
            </Button>
          ))}
        </Box>
      </Box>
    </Box>
  );
}

function only(lines: { rings: Line["rings"]; kind: string[] }, kind: string): Line["rings"] {
  const kept = lines.kind.flatMap((k, i) => (k === kind ? [i] : []));
  const start = new Int32Array(kept.length + 1);
  const { xy, start: from } = lines.rings;
  const parts = kept.map((i, n) => {
    const part = xy.subarray(from[i], from[i + 1]);
    start[n + 1] = start[n] + part.length;
    return part;
  });
  const joined = new Float32Array(start[kept.length]);
  for (const [n, part] of parts.entries()) joined.set(part, start[n]);
  return { xy: joined, start, owner: Int32Array.from(kept) };
}

/** What an area's value says, in words. */
function valueText(areas: Areas, area: number): string {
  const value = areas.value[area];
  return Number.isNaN(value) ? STATE_WORDS[areas.state[area]] : figure(value);
}

export const STATE_WORDS = [
  "a number",
  "not recorded",
  "not reported",
  "no denominator",
  "suppressed",
  "excluded",
  "cannot be worked out",
];

function summary(outcome: Outcome): string {
  const ranges = outcome.bands.map((b) => `${b.text}: ${plural(b.areas, "area")}`).join("; ");
  return `${outcome.value_name} in ${plural(outcome.ledger.areas.read, "area")}. ${ranges}. The rows hold every figure.`;
}

function useLook(
  outcome: Outcome,
  areas: Areas,
  view: View | null,
  hovered: number | null,
  selected: number | null,
): Look {
  const colours = useMemo(() => {
    const apart = outcome.plan.class.zero === "apart";
    const bands = outcome.bands.map((b) => packed(b.colour));
    const colour = new Uint32Array(areas.value.length);
    const hatched = new Uint8Array(areas.value.length);
    for (let i = 0; i < colour.length; i++) {
      const c = classOf(areas.value[i], outcome.ledger.breaks, apart);
      colour[i] = c === ZERO_CLASS ? packed(ZERO) : c === NO_CLASS ? packed(NO_VALUE) : bands[c];
      hatched[i] = c === NO_CLASS ? 1 : 0;
    }
    return { colour, hatched };
  }, [outcome, areas]);
  const scale = view?.scale ?? 0;
  const lined = useMemo(
    () => Uint8Array.from(areas.areaKm2, (km2) => (km2 * 1e6 * scale * scale > LINED_FROM_PIXELS ? 1 : 0)),
    [areas, scale],
  );
  return useMemo(
    () => ({
      ...colours,
      background: packed(WATER),
      hairline: packed("#FBF9F3"),
      ink: packed(INK),
      hatch: packed(HATCH),
      marked: [...new Set([hovered, selected].filter((a): a is number => a !== null))],
      lined,
    }),
    [colours, hovered, selected, lined],
  );
}

interface Painter {
  shapes(shapes: Shapes): void;
  lines(lines: Line[]): void;
  draw(view: View, size: { width: number; height: number }, look: Look): void;
  point(x: number, y: number): void;
}

/** The worker and its canvas. One frame is asked for at a time; meanwhile the last bitmap is moved. */
function usePainter(frame: React.RefObject<HTMLDivElement | null>, onArea: (area: number) => void): Painter {
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
    const worker = new Worker(new URL("./worker.ts", import.meta.url), { type: "module" });
    const send = (message: ToWorker, transfer: Transferable[] = []) => worker.postMessage(message, transfer);
    const offscreen = canvas.transferControlToOffscreen();
    send({ kind: "canvas", canvas: offscreen }, [offscreen]);
    let wanted: { view: View; size: { width: number; height: number }; look: Look } | null = null;
    let shown: View | null = null;
    let busy = false;
    // What was asked for while a frame was being painted.
    let next: { still: boolean } | null = null;
    let timer = 0;
    let number = 0;
    const timings: number[] = [];
    (window as unknown as { steadyTallyFrames: number[] }).steadyTallyFrames = timings;
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
        ratio: window.devicePixelRatio || 1,
        still,
      });
    };
    worker.onmessage = ({ data }: MessageEvent<FromWorker>) => {
      if (data.kind === "area") {
        told.current(data.area);
        return;
      }
      timings.push(data.ms);
      canvas.dataset.still = String(data.still && !next);
      canvas.dataset.painted = "true";
      busy = false;
      shown = data.view;
      place();
      if (next) ask(next.still);
    };
    api.current = {
      shapes: (shapes) =>
        send(shapes.kind === "zones" ? { kind: "zones", rings: shapes.rings } : { ...shapes, kind: "cells" }),
      lines: (lines) => send({ kind: "lines", lines }),
      draw: (view, size, look) => {
        wanted = { view, size, look };
        canvas.dataset.still = "false";
        place();
        ask(false);
        window.clearTimeout(timer);
        timer = window.setTimeout(() => ask(true), STILL_AFTER_MS);
      },
      point: (x, y) => send({ kind: "point", x, y }),
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
      lines: (l) => void now((p) => p.lines(l)),
      draw: (v, s, l) => void now((p) => p.draw(v, s, l)),
      point: (x, y) => void now((p) => p.point(x, y)),
    };
  }, []);
}

function useSize(frame: React.RefObject<HTMLDivElement | null>): { width: number; height: number } | null {
  const [size, setSize] = useState<{ width: number; height: number } | null>(null);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => {
      const { width, height } = entry.contentRect;
      if (width > 0 && height > 0) setSize({ width, height });
    });
    observer.observe(frame.current!);
    return () => observer.disconnect();
  }, [frame]);
  return size;
}

interface Gestures {
  pan: (dx: number, dy: number) => void;
  zoom: (factor: number, x: number, y: number) => void;
  point: (x: number, y: number) => void;
  leave: () => void;
  click: () => void;
}

function useGestures(frame: React.RefObject<HTMLDivElement | null>, gestures: Gestures): void {
  const now = useRef(gestures);
  now.current = gestures;
  useEffect(() => {
    const element = frame.current!;
    let last: { x: number; y: number; moved: number } | null = null;
    const at = (event: MouseEvent) => {
      const box = element.getBoundingClientRect();
      return { x: event.clientX - box.left, y: event.clientY - box.top };
    };
    const down = (event: PointerEvent) => {
      last = { x: event.clientX, y: event.clientY, moved: 0 };
      element.setPointerCapture(event.pointerId);
    };
    const moveTo = (event: PointerEvent) => {
      if (!last) {
        const { x, y } = at(event);
        now.current.point(x, y);
        return;
      }
      const [dx, dy] = [event.clientX - last.x, event.clientY - last.y];
      last = { x: event.clientX, y: event.clientY, moved: last.moved + Math.abs(dx) + Math.abs(dy) };
      if (last.moved > 3) now.current.pan(dx, dy);
    };
    const up = () => {
      if (last && last.moved <= 3) now.current.click();
      last = null;
    };
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const { x, y } = at(event);
      now.current.zoom(2 ** (-event.deltaY / 300), x, y);
    };
    const leave = () => now.current.leave();
    element.addEventListener("pointerdown", down);
    element.addEventListener("pointermove", moveTo);
    element.addEventListener("pointerup", up);
    element.addEventListener("pointerleave", leave);
    element.addEventListener("wheel", wheel, { passive: false });
    return () => {
      element.removeEventListener("pointerdown", down);
      element.removeEventListener("pointermove", moveTo);
      element.removeEventListener("pointerup", up);
      element.removeEventListener("pointerleave", leave);
      element.removeEventListener("wheel", wheel);
    };
  }, [frame]);
}
