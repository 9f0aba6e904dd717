/** What lies over what on the map: changes of the stack, which the plan then has as a whole. */
import type { Layer, Plan } from "./types";

/** What tells layers of one kind apart. */
export function keyOf(layer: Layer): string {
  return layer.kind === "reference" ? `reference ${layer.source}` : layer.kind;
}

/** The stack with one layer otherwise. */
export function changed<K extends Layer["kind"]>(
  stack: readonly Layer[],
  which: Extract<Layer, { kind: K }>,
  change: Partial<Extract<Layer, { kind: K }>>,
): Layer[] {
  return stack.map((layer) => (keyOf(layer) === keyOf(which) ? ({ ...layer, ...change } as Layer) : layer));
}

/** The stack with one layer a step higher or lower; as it is where there is none to pass. */
export function moved(stack: readonly Layer[], which: Layer, up: boolean): Layer[] {
  const at = stack.findIndex((layer) => keyOf(layer) === keyOf(which));
  const to = at + (up ? -1 : 1);
  if (at < 0 || to < 0 || to >= stack.length) return [...stack];
  const next = [...stack];
  [next[at], next[to]] = [next[to], next[at]];
  return next;
}

/** Is it drawn at all? */
export function isShown(layer: Layer, plan: Plan): boolean {
  switch (layer.kind) {
    case "areas":
    case "degrees":
    case "events":
    case "reference":
      return layer.shown;
    case "outlines":
      return plan.show.outlines.draw !== "none";
    case "over":
      return plan.show.over !== null;
  }
}
