/** The labels over the map. Where they stand depends on its scale alone, so that they go along while it is moved. */
import { useEffect, useMemo, useRef } from "react";
import type { Anchors, Named } from "../api/bulk";
import type { View } from "../geometry/view";
import type { LabelSet } from "../plan/types";
import { INK, PAPER } from "../theme";
import type { InsetBox } from "./insets";
import { LINE, type Measure, type PlacedLabel, placeLabels, prepareLabels, Taken } from "./labels";
import { cleared } from "./overlay";

const FAMILY = '"Public Sans Variable", sans-serif';
/** Names of references, which are beside the matter. */
const NAMES: LabelSet = {
  text: "",
  shown: true,
  size: 11,
  bold: false,
  colour: INK,
  halo: PAPER,
  halo_width: 2,
};
const MEASURED_AT = 100;

interface Props {
  anchors: Anchors | undefined;
  sets: readonly LabelSet[];
  texts: readonly (readonly string[])[];
  names: readonly Named[];
  view: View;
  size: { width: number; height: number };
  boxes: readonly InsetBox[];
  /** How many found no room. */
  onLeft: (left: number) => void;
}

export function LabelsOverlay({ anchors, sets, texts, names, view, size, boxes, onLeft }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const measure = useMeasure(sets);
  const scales = boxes.map((b) => b.view.scale).join(" ");
  const prepared = useMemo(
    () => (anchors && texts.length ? prepareLabels(anchors, sets, texts, measure) : null),
    [anchors, sets, texts, measure],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: of the boxes their scales count
  const labels = useMemo(
    () =>
      prepared
        ? placeLabels(prepared, (inset) => boxes[inset]?.view.scale ?? view.scale)
        : { placed: [], left: 0 },
    [prepared, view.scale, scales],
  );
  const named = useMemo(
    () => placeNames(names, labels.placed, view.scale, measure),
    [names, labels, view.scale, measure],
  );
  const left = labels.left + named.left;
  useEffect(() => onLeft(left), [left, onLeft]);
  useEffect(() => {
    const element = canvas.current!;
    const context = cleared(element, size);
    if (!context) return;
    context.textAlign = "center";
    context.textBaseline = "middle";
    context.lineJoin = "round";
    let drawn = 0;
    for (const [inset, box] of [[-1, null] as const, ...boxes.map((b, i) => [i, b] as const)]) {
      const at = box?.view ?? view;
      context.save();
      context.beginPath();
      if (box) context.rect(box.left, box.top, box.width, box.height);
      else {
        context.rect(0, 0, size.width, size.height);
        for (const b of boxes) context.rect(b.left, b.top, b.width, b.height);
      }
      context.clip("evenodd");
      for (const label of [...labels.placed, ...named.placed]) {
        if (label.inset !== inset) continue;
        const x = (label.x - at.left) * at.scale + (box?.left ?? 0);
        const y = (at.top - label.y) * at.scale + (box?.top ?? 0);
        if (
          x < -label.width ||
          x > size.width + label.width ||
          y < -label.height ||
          y > size.height + label.height
        )
          continue;
        write(context, label, label.area < 0 ? [NAMES] : sets, x, y);
        drawn++;
      }
      context.restore();
    }
    element.dataset.labels = String(drawn);
    element.dataset.left = String(left);
  }, [labels, named, sets, view, size, boxes, left]);
  return (
    <canvas
      ref={canvas}
      data-testid="labels"
      aria-hidden
      style={{ position: "absolute", left: 0, top: 0, width: "100%", height: "100%", pointerEvents: "none" }}
    />
  );
}

function write(
  context: CanvasRenderingContext2D,
  label: PlacedLabel,
  sets: readonly LabelSet[],
  x: number,
  y: number,
): void {
  let top = y - label.height / 2;
  for (const line of label.lines) {
    const set = sets[line.set];
    const size = label.factor * line.size;
    context.font = fontOf(set, size);
    const middle = top + (LINE * size) / 2;
    if (set.halo_width > 0) {
      context.strokeStyle = set.halo;
      context.lineWidth = 2 * set.halo_width;
      context.strokeText(line.text, x, middle);
    }
    context.fillStyle = set.colour;
    context.fillText(line.text, x, middle);
    top += LINE * size;
  }
}

function fontOf(set: Pick<LabelSet, "bold">, size: number): string {
  return `${set.bold ? 700 : 400} ${size}px ${FAMILY}`;
}

/** Widths of texts, each measured once; anew when the typeface has come. */
function useMeasure(sets: readonly LabelSet[]): Measure {
  const weights = sets.map((s) => Number(s.bold)).join("");
  return useMemo(() => {
    const context = document.createElement("canvas").getContext("2d")!;
    const known = new Map<string, number>();
    return (text, set) => {
      const bold = weights[set] === "1";
      const key = `${bold ? "b" : "r"}${text}`;
      let width = known.get(key);
      if (width === undefined) {
        context.font = fontOf({ bold }, MEASURED_AT);
        width = context.measureText(text).width / MEASURED_AT;
        known.set(key, width);
      }
      return width;
    };
  }, [weights]);
}

/** Names of references where areas' labels leave room, those that come first first. */
function placeNames(
  names: readonly Named[],
  labels: readonly PlacedLabel[],
  scale: number,
  measure: Measure,
): { placed: PlacedLabel[]; left: number } {
  const taken = new Taken();
  for (const label of labels)
    if (label.inset < 0) taken.take(label.x * scale, -label.y * scale, label.width, label.height);
  const placed: PlacedLabel[] = [];
  let left = 0;
  for (const { x, y, text } of names)
    for (let i = 0; i < text.length; i++) {
      const [width, height] = [measure(text[i], 0) * NAMES.size, NAMES.size * LINE];
      if (!taken.take(x[i] * scale, -y[i] * scale, width, height)) {
        left++;
        continue;
      }
      const lines = [{ text: text[i], set: 0, size: NAMES.size }];
      placed.push({ area: -1, x: x[i], y: y[i], inset: -1, width, height, factor: 1, lines });
    }
  return { placed, left };
}
