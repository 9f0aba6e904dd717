/** The map: one canvas that a worker paints. Panning and zooming move the last bitmap; the crisp frame follows. */

import Box from "@mui/material/Box";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Areas, Shapes } from "../api/bulk";
import type { View as Outcome, Study } from "../api/client";
import { plural, whole } from "../format";
import {
  centredIn,
  centredOn,
  inSight,
  levelFor,
  panned,
  resized,
  scaleBar,
  seenOf,
  type View,
  zoomed,
} from "../geometry/view";
import { trialText } from "../outcome/words";
import { Unanswered } from "../parts/Answer";
import type { Reference } from "../plan/types";
import { saidIn, useAnswer } from "../state/asked";
import { taken } from "../state/hang";
import {
  useAnchors,
  useDegrees,
  useEventDots,
  useLabelTexts,
  useOver,
  useReferenceNames,
  useReferences,
} from "../state/overlays";
import { useAreaProfile, usePoints, useTrials } from "../state/queries";
import { type Doing, useDoing, useParts } from "../state/store";
import { useCardWidth, useSmall, useWindowWidth } from "../state/window";
import { INK, PAPER } from "../theme";
import { unit } from "../unit";
import { DegreesOverlay } from "./DegreesOverlay";
import { askedFor } from "./degrees";
import { FarOff } from "./FarOff";
import { useGestures, useSize } from "./gestures";
import { boxesBeside, boxesOf, fittedBeside } from "./insets";
import { LabelsOverlay } from "./LabelsOverlay";
import { layersOf } from "./layers";
import { groundOf, useLook } from "./look";
import { middleOf } from "./middle";
import { OutlineEditor, toDegrees, useOutlining } from "./OutlineEditor";
import { dotsOf, gridsOf, isLaid } from "./overlays";
import { PlacesOverlay } from "./PlacesOverlay";
import { Pointed } from "./Pointed";
import { usePainter } from "./painter";
import { ScaleBar, ZoomButtons } from "./ScaleAndZoom";

const NO_TEXTS: string[][] = [];

interface Props {
  study: Study;
  view: Outcome;
  areas: Areas;
  shapes: Shapes;
}

const NOTHING_TAKEN = { left: 0, right: 0 };

/** Less of the areas than this is too little to leave the map as it is. */
const SEEN_FROM = 2 / 3;

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
  const onLeft = useCallback((left: number) => set({ unlabelled: left }), [set]);
  const painter = usePainter(frameRef, (area, chosen) => {
    if (chosen) set({ hovered: area, selected: area });
    else if (area !== useDoing.getState().hovered) set({ hovered: area });
  });
  const size = useSize(frameRef);
  const windowWidth = useWindowWidth();
  const small = useSmall();
  const card = useCardWidth();
  const clearOfCard = selected === null ? 12 : card + 12;
  const [view, setView] = useState<View | null>(null);
  const lookWith = useLook(outcome, areas, view, dots === "placed");
  const references = useReferences(study, outcome);

  const free = {
    top: 0,
    bottom: 40 * unit,
    ...(small ? NOTHING_TAKEN : taken(pinned ? null : sheet, selected !== null, windowWidth)),
  };
  const clear = { left: 0, right: 0, top: 0, bottom: 48 * unit };
  const boxesKey = JSON.stringify([size, shapes.insets.map((i) => [i.at, i.bounds])]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for what the boxes depend on
  const boxes = useMemo(() => (size ? boxesOf(shapes.insets, size, clear) : []), [boxesKey]);
  // Where something hangs over the map its boxes stand beside that, and beside the areas.
  const hung = free.left > 0 || free.right > 0;
  const standing =
    hung && size && view
      ? boxesBeside(
          shapes.insets,
          size,
          { ...clear, left: free.left, right: free.right },
          shapes.bounds,
          view,
        )
      : boxes;
  const standingKey = JSON.stringify(standing);
  // biome-ignore lint/correctness/useExhaustiveDependencies: boxes that stand as before are the same ones
  const drawnBoxes = useMemo(() => standing, [standingKey]);
  // The scale and the buttons beside it, and the boxes.
  const controlsKey = JSON.stringify([size, clearOfCard, standingKey]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for where they are
  const standsOnMap = useMemo(
    () =>
      size
        ? [
            ...drawnBoxes.map((b) => [b.left, b.top, b.left + b.width, b.top + b.height] as const),
            [size.width - clearOfCard - 280, size.height - 56, size.width, size.height] as const,
          ]
        : [],
    [controlsKey],
  );
  const edges = { top: 0, bottom: 40 * unit, left: 0, right: 0 };
  const all = size && fittedBeside(shapes.bounds, size, edges, boxes);
  const [l, b, r, t] = outcome.frame ?? [];
  const frame = l === undefined ? shapes.bounds : { left: l, bottom: b!, right: r!, top: t! };
  const first = size && fittedBeside(frame, size, edges, boxes);
  const touched = useRef(false);
  // The view before something came to hang over it.
  const before = useRef<View | null>(null);
  const sized = useRef<typeof size>(null);
  const sizeKey = JSON.stringify([size, frame, boxes]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for what the fit depends on
  useEffect(() => {
    const was = sized.current;
    const again = (v: View) => (touched.current && was && size ? resized(v, was, size) : (first ?? v));
    if (view) setView(again(view));
    else if (first) setView(first);
    if (before.current) before.current = again(before.current);
    sized.current = size;
  }, [sizeKey]);
  // What opens over the map does not scale it: its middle moves to that of what is left free, and as far as the
  // selection stays in sight. Only where nobody has zoomed, and too little would be seen, is it fitted anew.
  const freeKey = JSON.stringify([free.left, free.right, selected, sizeKey]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only what hangs over the map moves it
  useEffect(() => {
    if (!view || !size) return;
    if (!free.left && !free.right) {
      if (before.current) setView(before.current);
      before.current = null;
      return;
    }
    // From one sheet to another the map moves from where it was before the first.
    before.current ??= view;
    // Boxes have kept the areas out of the middle: where nobody has moved the map, it is them that are centred.
    const moved = touched.current
      ? centredIn(before.current, free)
      : centredOn(before.current, frame, size, free);
    const chosen = selected === null ? null : middleOf(shapes, selected);
    const tooLittle = !touched.current && seenOf(frame, moved, size, free) < SEEN_FROM;
    const found = tooLittle ? fittedBeside(frame, size, { ...edges, ...free }, boxes) : moved;
    setView(chosen ? inSight(found, size, free, chosen) : found);
  }, [freeKey]);
  useEffect(() => painter.shapes(shapes), [shapes, painter]);
  const drawn = JSON.stringify([outcome.plan.place, shapes.bounds]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: other areas begin with all of them in sight
  useEffect(() => {
    touched.current = false;
    before.current = null;
    if (first) setView(first);
  }, [drawn]);
  const level = view ? levelFor(view.scale, window.devicePixelRatio || 1, shapes.tolerances) : 0;
  useEffect(() => set({ level }), [level, set]);

  const over = useAnswer(useOver(outcome));
  const events = outcome.layers.find((l) => l.kind === "events");
  const dotted = useAnswer(useEventDots(outcome, events));
  const lined = outcome.layers.some((l) => l.kind === "degrees" && l.shown);
  const linesCame = useAnswer(useDegrees(outcome, lined && view && size ? askedFor(view, size) : null));
  // Those of the view before may stand a moment longer, but never those of another plane.
  const degrees = lined && linesCame?.key === outcome.keys.shapes ? linesCame : undefined;
  const drawnLayers = useMemo(
    () => layersOf(outcome.layers, { references, over, dots: dotted, degrees }),
    [outcome.layers, references, over, dotted, degrees],
  );
  useEffect(() => painter.layers(drawnLayers), [drawnLayers, painter]);
  const { labels: sets } = outcome.plan.show;
  const labelled = sets.some((s) => s.shown);
  const anchors = useAnswer(useAnchors(outcome, labelled));
  const texts = useAnswer(useLabelTexts(outcome, labelled));
  const named = useReferenceNames(
    outcome,
    outcome.layers.filter((l) => l.kind === "reference" && l.shown && l.names !== null) as Reference[],
  );
  const points = useAnswer(usePoints(outcome, dots !== null));
  const shown = useMemo(() => (points && dots ? dotsOf(points, dots) : null), [points, dots]);
  useEffect(() => painter.dots(shown), [shown, painter]);
  const places = useMemo(() => (tried ? [tried, ...held] : []), [tried, held]);
  const trials = useTrials(outcome, places);
  const sizes = trials.map((t) => saidIn("the grid’s form", t));
  const came = sizes.map((t) => t?.cells ?? -1).join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: which trials came stands for what they are
  const grids = useMemo(() => gridsOf(sizes, places, outcome.plan.place), [came, places, outcome.plan.place]);
  useEffect(() => painter.grids(grids), [grids, painter]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: new shapes want a new frame
  useEffect(() => {
    if (!view || !size) return;
    const draw = (doing: Doing) =>
      painter.draw(view, size, { ...lookWith(doing.drafted), marked: markedIn(doing) }, drawnBoxes);
    draw(useDoing.getState());
    // The pointer's area and a moved break are painted without rendering anything.
    return useDoing.subscribe((now, before) => {
      const same = now.hovered === before.hovered && now.selected === before.selected;
      if (!same || now.drafted !== before.drafted) draw(now);
    });
  }, [view, size, lookWith, drawnBoxes, shapes, shown, grids, drawnLayers, painter]);

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
    before.current = null;
    setView((v) => v && next(v));
  };
  const zoom = (factor: number, x: number, y: number) => move((v) => zoomed(v, factor, x, y, least, most));
  const showAll = () => {
    // Where all is what is fitted by itself, it is so again.
    touched.current = l !== undefined;
    before.current = null;
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
  const itsPlaces = useAnswer(useAreaProfile(outcome, selected))?.places;
  return (
    <Box
      sx={{ position: "absolute", inset: 0, overflow: "hidden" }}
      style={{ background: groundOf(outcome.plan.show) }}
    >
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
      {drawnBoxes.map((box, i) => (
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
        >
          {view && size && (
            <BoxScale
              times={box.view.scale / view.scale}
              below={box.top < size.height / 2}
              right={box.left > size.width / 2}
            />
          )}
        </Box>
      ))}
      {(labelled || named.length > 0) && view && size && (
        <LabelsOverlay
          anchors={anchors}
          sets={sets}
          texts={labelled ? (texts ?? NO_TEXTS) : NO_TEXTS}
          names={named}
          view={view}
          size={size}
          boxes={drawnBoxes}
          onLeft={onLeft}
        />
      )}
      {degrees && view && size && (
        <DegreesOverlay degrees={degrees} view={view} size={size} free={free} taken={standsOnMap} />
      )}
      {itsPlaces && view && size && <PlacesOverlay places={itsPlaces} view={view} size={size} />}
      {view && size && <OutlineEditor editing={outlining} view={view} size={size} />}
      {tried && sizes[0] && !outline && !isLaid(tried, outcome.plan.place) && (
        <Box
          data-testid="tried"
          sx={{
            position: "absolute",
            right: clearOfCard,
            top: 12,
            px: 1.25,
            py: 0.5,
            bgcolor: PAPER,
            border: `1px solid ${INK}`,
            pointerEvents: "none",
          }}
        >
          <strong>{whole(sizes[0].cells)} cells</strong> {trialText(sizes[0])}
        </Box>
      )}
      <FarOff study={study} view={outcome} />
      <Box
        sx={{
          position: "absolute",
          right: clearOfCard,
          top: 48,
          maxWidth: 360,
          px: 1.25,
          bgcolor: PAPER,
          zIndex: 1,
        }}
      >
        <Unanswered />
      </Box>
      <Pointed areas={areas} left={free.left + 12} />
      <Box
        sx={{
          position: "absolute",
          right: clearOfCard,
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

/** A box's own scale beside the map's, since areas look larger or smaller in it than they are. */
function BoxScale({ times, below, right }: { times: number; below: boolean; right: boolean }) {
  if (times > 0.98 && times < 1.02) return null;
  const figure = times < 10 ? Number(times.toPrecision(2)) : whole(Math.round(times));
  return (
    <Box
      component="span"
      sx={{
        position: "absolute",
        [right ? "right" : "left"]: 0,
        [below ? "top" : "bottom"]: "100%",
        fontSize: "0.6875rem",
        color: INK,
        whiteSpace: "nowrap",
      }}
    >
      {figure} times the map's scale
    </Box>
  );
}

function markedIn({ hovered, selected, drafted }: Doing): number[] {
  const changing = drafted && !drafted.kept ? drafted.changing : [];
  return [
    ...new Set([hovered, selected, ...changing.slice(0, MOST_MARKED)].filter((a): a is number => a !== null)),
  ];
}
