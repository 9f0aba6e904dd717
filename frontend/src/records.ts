/**
 * Objects whose keys are names from files: they have no prototype, so that a column called “constructor” or “__proto__”
 * is found where it is, and nowhere else.
 */

/** JSON as such objects. */
export function parsed(text: string): unknown {
  return JSON.parse(text, (_, value) => bare(value));
}

/** A copy of plain JSON values as such objects. */
export function copied<T>(value: T): T {
  if (Array.isArray(value)) return value.map(copied) as T;
  if (typeof value !== "object" || value === null) return value;
  return record(Object.entries(value).map(([name, one]) => [name, copied(one)])) as T;
}

/** Names with their values; of a name that comes twice the last. */
export function record<V>(entries: Iterable<readonly [string, V]>): Record<string, V> {
  const made: Record<string, V> = Object.create(null);
  for (const [name, value] of entries) made[name] = value;
  return made;
}

function bare(value: unknown): unknown {
  return typeof value === "object" && value !== null && !Array.isArray(value)
    ? Object.setPrototypeOf(value, null)
    : value;
}

export function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

/** Do two plain JSON values say the same? */
export function same(a: unknown, b: unknown): boolean {
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((x, i) => same(x, b[i]));
  if (isRecord(a) && isRecord(b)) {
    const names = Object.keys(a);
    return (
      names.length === Object.keys(b).length && names.every((n) => Object.hasOwn(b, n) && same(a[n], b[n]))
    );
  }
  return Object.is(a, b);
}
