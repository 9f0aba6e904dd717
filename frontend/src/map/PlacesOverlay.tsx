/** The selected area's events over the map: a numbered plate a place, a dot where the number finds no room. */
import { useEffect, useRef } from "react";
import type { View } from "../geometry/view";
import { INK, PAPER } from "../theme";
import { cleared } from "./overlay";
import { marksOf, type Place } from "./places";

interface Props {
  places: readonly Place[];
  view: View;
  size: { width: number; height: number };
}

export function PlacesOverlay({ places, view, size }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const element = canvas.current!;
    const context = cleared(element, size);
    if (!context) return;
    context.font = '600 11px "Public Sans Variable", sans-serif';
    context.textAlign = "center";
    context.textBaseline = "middle";
    const marks = marksOf(places, view, size);
    for (const mark of marks.filter((m) => !m.reach)) {
      context.beginPath();
      context.arc(mark.x, mark.y, 2.6, 0, 2 * Math.PI);
      context.fillStyle = INK;
      context.strokeStyle = PAPER;
      context.fill();
      context.stroke();
    }
    for (const mark of marks.filter((m) => m.reach)) {
      context.beginPath();
      context.roundRect(mark.x - mark.reach, mark.y - 8, 2 * mark.reach, 16, 8);
      context.fillStyle = PAPER;
      context.strokeStyle = INK;
      context.fill();
      context.stroke();
      context.fillStyle = INK;
      context.fillText(String(mark.number), mark.x, mark.y + 0.5);
    }
    element.dataset.places = String(marks.length);
  }, [places, view, size]);
  return (
    <canvas
      ref={canvas}
      aria-hidden
      style={{ position: "absolute", left: 0, top: 0, width: "100%", height: "100%", pointerEvents: "none" }}
    />
  );
}
