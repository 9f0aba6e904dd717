/** The degrees of latitude and longitude at the edge of what is seen of the map. */
import { useEffect, useRef } from "react";
import type { Degrees } from "../api/bulk";
import type { View } from "../geometry/view";
import { INK, PAPER } from "../theme";
import { type Frame, figuresAtEdges } from "./degrees";
import { cleared } from "./overlay";

interface Props {
  degrees: Degrees;
  view: View;
  size: { width: number; height: number };
  /** What of the map nothing hangs over. */
  free: { left: number; right: number };
  taken: readonly Frame[];
}

const HIGH = 16;
const ROOM = 8;

export function DegreesOverlay({ degrees, view, size, free, taken }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const element = canvas.current!;
    const context = cleared(element, size);
    if (!context) return;
    context.font = '12px "Public Sans Variable", sans-serif';
    context.textAlign = "center";
    context.textBaseline = "middle";
    context.lineJoin = "round";
    const sizes = degrees.texts.map((t) => [context.measureText(t).width + ROOM, HIGH] as const);
    const page = (x: number, y: number) =>
      [(x - view.left) * view.scale, (view.top - y) * view.scale] as const;
    const frame = [free.left, 0, size.width - free.right, size.height] as const;
    const figures = figuresAtEdges(degrees, page, frame, sizes, taken);
    for (const { line, x, y } of figures) {
      context.strokeStyle = PAPER;
      context.lineWidth = 4;
      context.strokeText(degrees.texts[line], x, y);
      context.fillStyle = INK;
      context.fillText(degrees.texts[line], x, y);
    }
    element.dataset.figures = figures.map((f) => degrees.texts[f.line]).join(" | ");
  }, [degrees, view, size, free.left, free.right, taken]);
  return (
    <canvas
      ref={canvas}
      data-testid="degrees"
      aria-hidden
      style={{ position: "absolute", left: 0, top: 0, width: "100%", height: "100%", pointerEvents: "none" }}
    />
  );
}
