/** The break rail in small: the classes along the axis, how many areas lie where, and the breaks. */
import { useMemo } from "react";
import { INK, QUIET } from "../theme";
import { axisOf } from "./axes";
import { outlineOf, type Step } from "./dots";
import { useAxis } from "./parts";

const STEP = 3;
const BANDS = 7;

/** Where values stand on rails of one size, and how many lie where: the same for all of them. */
export interface SmallAxis {
  place: (value: number) => number;
  steps: readonly Step[];
  width: number;
  height: number;
}

export function useSmallAxis(values: readonly number[], width: number, height: number): SmallAxis {
  const { axis } = useAxis(values);
  return useMemo(() => {
    const place = axisOf(axis, values);
    return { place, steps: outlineOf(values.map(place), height - 8, STEP, width - BANDS - 3), width, height };
  }, [axis, values, width, height]);
}

export function SmallRail(props: { on: SmallAxis; breaks: readonly number[]; colours: readonly string[] }) {
  const { breaks, colours } = props;
  const { place, steps, width, height } = props.on;
  const length = height - 8;
  const y = (value: number) => 4 + length * (1 - Math.min(Math.max(place(value), 0), 1));
  return (
    <svg width={width} height={height} aria-hidden>
      {colours.map((colour, i) => (
        <rect
          key={breaks[i]}
          x={1}
          width={BANDS}
          y={y(breaks[i + 1])}
          height={Math.max(y(breaks[i]) - y(breaks[i + 1]), 1)}
          fill={colour}
        />
      ))}
      {steps.map((s) => (
        <rect
          key={s.y}
          x={BANDS + 2}
          width={s.width}
          y={4 + length - s.y - STEP / 2}
          height={STEP}
          fill={QUIET}
          opacity={0.55}
        />
      ))}
      {breaks.slice(1, -1).map((b) => (
        <line key={b} x1={0} x2={width} y1={y(b)} y2={y(b)} stroke={INK} strokeWidth={0.8} />
      ))}
    </svg>
  );
}
