/** What is drawn over the map beside the areas: which events as dots, and grids that are tried out. */
import type { GridTrial, Points } from "../api/bulk";
import { COMPARED } from "../plan/place";
import type { Grid, Place } from "../plan/types";
import type { DotsShown } from "../state/store";
import { INK, MADDER } from "../theme";
import type { Dots } from "./dots";
import { packed } from "./paint";
import type { DrawnGrid } from "./worker";

type Laid = Pick<Place, "areas">;

const DRAWN_IN = 4;
const ELSEWHERE = 1;
const NOWHERE = 2;

/** The events that are shown, and their colours: their areas', or madder for those that want a look. */
export function dotsOf(points: Points, shown: DotsShown): Dots {
  if (shown === "placed") return points;
  const { x, y, area, way, verdict } = points;
  const wanted: number[] = [];
  for (let i = 0; i < x.length; i++) {
    const look =
      shown === "outside"
        ? area[i] < 0 || way[i] === DRAWN_IN
        : verdict[i] === ELSEWHERE || verdict[i] === NOWHERE;
    if (look) wanted.push(i);
  }
  return {
    x: Float32Array.from(wanted, (i) => x[i]),
    y: Float32Array.from(wanted, (i) => y[i]),
    colour: Uint32Array.from(wanted, (i) => packed(shown === "outside" && area[i] >= 0 ? INK : MADDER)),
  };
}

/** The grids whose figures came, each in its own colour: first the one that is being sized. One that is laid is there
 * already, and has no lines. */
export function gridsOf(
  trials: readonly (GridTrial | undefined)[],
  places: readonly Laid[],
  laid: Laid,
): DrawnGrid[] {
  return trials.flatMap((trial, i) =>
    trial?.drawn && !isLaid(places[i], laid) ? [{ ...trial.drawn, colour: packed(COMPARED[i]) }] : [],
  );
}

/** Is a grid that is tried out the one that the plan has? */
export function isLaid(tried: Laid | undefined, laid: Laid): boolean {
  const [there, here] = [tried?.areas, laid.areas];
  if (there?.kind !== "grid" || here.kind !== "grid") return false;
  return (Object.keys(here) as (keyof Grid)[]).every((name) => said(there[name]) === said(here[name]));
}

/** A choice as text; what is null is as good as not there. */
const said = (choice: unknown) => JSON.stringify(choice, (_, value) => value ?? undefined);
