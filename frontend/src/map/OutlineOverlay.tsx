/** An outline while it is being drawn: its corners, which can be dragged, and the line through them. */
import { useRef } from "react";
import type { View } from "../geometry/view";
import { INK, MADDER } from "../theme";

interface Props {
  outline: readonly (readonly [number, number])[];
  view: View;
  size: { width: number; height: number };
  onMove: (corner: number, to: readonly [number, number]) => void;
}

export function OutlineOverlay({ outline, view, size, onMove }: Props) {
  const held = useRef<number | null>(null);
  const frame = useRef<SVGSVGElement>(null);
  const drag = (event: React.PointerEvent) => {
    if (held.current === null) return;
    const box = frame.current!.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    onMove(held.current, [view.left + x / view.scale, view.top - y / view.scale]);
  };
  const points = outline.map(([east, north]) => [
    (east - view.left) * view.scale,
    (view.top - north) * view.scale,
  ]);
  return (
    <svg
      ref={frame}
      aria-hidden
      width={size.width}
      height={size.height}
      style={{ position: "absolute", inset: 0, pointerEvents: "none" }}
    >
      <polygon
        points={points.map((p) => p.join(",")).join(" ")}
        fill={MADDER}
        fillOpacity={0.12}
        stroke={INK}
      />
      {points.map(([x, y], corner) => (
        <circle
          // biome-ignore lint/suspicious/noArrayIndexKey: a corner that is dragged stays the same corner
          key={corner}
          data-corner={corner}
          cx={x}
          cy={y}
          r={5}
          fill="white"
          stroke={INK}
          style={{ pointerEvents: "all", cursor: "grab" }}
          onPointerDown={(event) => {
            held.current = corner;
            event.currentTarget.setPointerCapture(event.pointerId);
            event.stopPropagation();
          }}
          onPointerMove={drag}
          onPointerUp={() => {
            held.current = null;
          }}
        />
      ))}
    </svg>
  );
}
