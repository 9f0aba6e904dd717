/** An outline while it is being drawn: its corners and the line through them. */
import { INK, MADDER } from "../theme";
import type { View } from "./view";

interface Props {
  outline: readonly (readonly [number, number])[];
  view: View;
  size: { width: number; height: number };
}

export function OutlineOverlay({ outline, view, size }: Props) {
  const points = outline.map(([east, north]) => [
    (east - view.left) * view.scale,
    (view.top - north) * view.scale,
  ]);
  return (
    <svg
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
      {points.map(([x, y]) => (
        <circle key={`${x} ${y}`} cx={x} cy={y} r={3.5} fill="white" stroke={INK} />
      ))}
    </svg>
  );
}
