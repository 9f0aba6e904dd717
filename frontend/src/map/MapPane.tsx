/** The map: one canvas that a worker paints. Panning and zooming move the last bitmap; the crisp frame follows. */

import Box from "@mui/material/Box";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Areas, Shapes } from "../api/bulk";
import type { View as Outcome, Study } from "../api/client";
import { plural, whole } from "../format";
import { fitted, levelFor, panned, scaleBar, type View, zoomed } from "../geometry/view";
import { trialText } from "../outcome/words";
import { CARD_WIDTH, taken } from "../state/hang";
import { useAreaProfile, useOver, usePoints, useReferences, useTrials } from "../state/queries";
import { type Doing, useDoing, useParts } from "../state/store";
import { INK, PAPER, WATER } from "../theme";
import { unit } from "../unit";
import { useGestures, useSize } from "./gestures";
import { boxesOf, type Corner } from "./insets";
import { useLook } from "./look";
import { OutlineEditor, toDegrees, useOutlining } from "./OutlineEditor";
import { dotsOf, gridsOf, isLaid } from "./overlays";
import { PlacesOverlay } from "./PlacesOverlay";
import { Pointed } from "./Pointed";
import { usePainter } from "./painter";
import { linesOf } from "./references";
import { ScaleBar, ZoomButtons } from "./ScaleAndZoom";
import type { Line } from "./worker";

const UPPER: Omit<Line, "rings"> = { colour: INK, width: 1.8, fromScale: 0 };

interface Props {
  study: Study;
  view: Outcome;
  areas: Areas;
  shapes: Shapes;
}

export function MapPane({ study, view: outcome, areas, shapes }: Props) {
  const { selected, sheet, pinned, correcting, dots, tried, held, set } = useParts(
    "selected",
    "sheet",
    "pinned",
    "correcting",
    "dots",
    "tried",
    "held",
    "set",
  );
  const frameRef = useRef<HTMLDivElement>(null);
  const pointer = useRef<{ x: number; y: number } | null>(null);
  const outlining = useOutlining(study, outcome);
  const { outline } = outlining;
  const painter = usePainter(frameRef, (area, chosen) => {
    if (chosen) set({ hovered: area, selected: area });
    else if (area !== useDoing.getState().hovered) set({ hovered: area });
  });
  const size = useSize(frameRef);
  const [view, setView] = useState<View | null>(null);
  const look = useLook(outcome, areas, view, dots === "placed");
  const references = useReferences(study, outcome);

  const free = {
    top: 0,
    bottom: 40 * unit,
    ...taken(pinned ? null : sheet, selected !== null, window.innerWidth),
  };
  const all = size && fitted(shapes.bounds, size.width, size.height, free);
  const touched = useRef(false);
  const freeKey = JSON.stringify([free, size, shapes.bounds]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for what the fit depends on
  useEffect(() => {
    if (all && !touched.current) setView(all);
  }, [freeKey]);
  useEffect(() => painter.shapes(shapes), [shapes, painter]);
  const drawn = JSON.stringify([outcome.plan.place, shapes.bounds]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other areas begin with all of them in sight
  useEffect(() => {
    touched.current = false;
    if (all) setView(all);
  }, [drawn]);
  const level = view ? levelFor(view.scale, window.devicePixelRatio || 1, shapes.tolerances) : 0;
  useEffect(() => set({ level }), [level, set]);

  const over = useOver(outcome).data;
  useEffect(
    () => painter.lines([...references.flatMap(linesOf), ...(over ? [{ rings: over, ...UPPER }] : [])]),
    [references, over, painter],
  );
  const points = usePoints(outcome, dots !== null).data;
  const shown = useMemo(() => (points && dots ? dotsOf(points, dots) : null), [points, dots]);
  useEffect(() => painter.dots(shown), [shown, painter]);
  const places = useMemo(() => (tried ? [tried, ...held] : []), [tried, held]);
  const trials = useTrials(outcome, places);
  const came = trials.map((t) => t.data?.cells ?? -1).join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: which trials came stands for what they are
  const grids = useMemo(
    () => gridsOf(trials, places, outcome.plan.place),
    [came, places, outcome.plan.place],
  );
  useEffect(() => painter.grids(grids), [grids, painter]);

  const corners = (outcome.plan.show.insets as { at: Corner }[]).map((i) => i.at);
  const bottom = { ...free, bottom: 48 * unit };
  const boxesKey = JSON.stringify([corners, size, bottom, shapes.insets.map((i) => i.bounds)]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for what the boxes depend on
  const boxes = useMemo(() => (size ? boxesOf(shapes.insets, corners, size, bottom) : []), [boxesKey]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: new shapes want a new frame
  useEffect(() => {
    if (!view || !size) return;
    const draw = (doing: Doing) => painter.draw(view, size, { ...look, marked: markedIn(doing) }, boxes);
    draw(useDoing.getState());
    // The pointer's area is painted without rendering anything.
    return useDoing.subscribe((now, before) => {
      const same = now.hovered === before.hovered && now.selected === before.selected;
      if (!same || now.drafted !== before.drafted) draw(now);
    });
  }, [view, size, look, boxes, shapes, shown, grids, references, over, painter]);

  // What moves under a pointer at rest is another area.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a move of the map asks again
  useEffect(() => {
    const timer = window.setTimeout(() => {
      if (pointer.current) painter.point(pointer.current.x, pointer.current.y);
    }, 250);
    return () => window.clearTimeout(timer);
  }, [view]);

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
    point: (x, y) => {
      pointer.current = { x, y };
      painter.point(x, y);
    },
    leave: () => {
      pointer.current = null;
      set({ hovered: null });
    },
    click: (x, y) => {
      const at = view && ([view.left + x / view.scale, view.top - y / view.scale] as const);
      if (outline && at) outlining.add(at);
      else if (correcting && at) void toDegrees([at], outcome).then((p) => set({ corrected: p[0] }));
      else painter.point(x, y, true);
    },
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
    else if (event.key === "Enter" && outline) outlining.close();
    else return;
    event.preventDefault();
  };
  const itsPlaces = useAreaProfile(outcome, selected).data?.places;
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
      {boxes.map((box, i) => (
        <Box
          // biome-ignore lint/suspicious/noArrayIndexKey: insets stand in the plan's order
          key={i}
          data-testid="inset"
          title={shapes.insets[i]?.says || undefined}
          sx={{
            position: "absolute",
            border: `1px solid ${INK}`,
            pointerEvents: "none",
            boxSizing: "border-box",
          }}
          style={{ left: box.left, top: box.top, width: box.width, height: box.height }}
        />
      ))}
      {itsPlaces && view && size && <PlacesOverlay places={itsPlaces} view={view} size={size} />}
      {view && size && <OutlineEditor editing={outlining} view={view} size={size} />}
      {tried && trials[0]?.data && !outline && !isLaid(tried, outcome.plan.place) && (
        <Box
          data-testid="tried"
          sx={{
            position: "absolute",
            right: selected === null ? 12 : CARD_WIDTH + 12,
            top: 12,
            px: 1.25,
            py: 0.5,
            bgcolor: PAPER,
            border: `1px solid ${INK}`,
            pointerEvents: "none",
          }}
        >
          <strong>{whole(trials[0].data.cells)} cells</strong> {trialText(trials[0].data)}
        </Box>
      )}
      <Pointed areas={areas} />
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
        <ScaleBar bar={view && scaleBar(view.scale, 130)} />
        <ZoomButtons
          zoom={(factor) => size && zoom(factor, size.width / 2, size.height / 2)}
          showAll={showAll}
        />
      </Box>
    </Box>
  );
}

function summary(outcome: Outcome): string {
  const ranges = outcome.bands.map((b) => `${b.text}: ${plural(b.areas, "area")}`).join("; ");
  return `${outcome.value_name} in ${plural(outcome.ledger.areas.read, "area")}. ${ranges}. The rows hold every figure.`;
}

/** More areas that would change class are not outlined one by one. */
const MOST_MARKED = 300;

function markedIn({ hovered, selected, drafted }: Doing): number[] {
  const changing = drafted && !drafted.kept ? drafted.changing : [];
  return [
    ...new Set([hovered, selected, ...changing.slice(0, MOST_MARKED)].filter((a): a is number => a !== null)),
  ];
}
