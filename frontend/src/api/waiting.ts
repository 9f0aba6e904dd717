/** What the whole page waits for: a database that starts again, or a server. Every answer says anew whether it is so. */
import { useSyncExternalStore } from "react";

let now: string | null = null;
const listeners = new Set<() => void>();

/** A request was told to wait, and why; or one was answered, and nobody waits any more. */
export function noteWaiting(says: string | null) {
  if (says === now) return;
  now = says;
  for (const tell of listeners) tell();
}

export function useWaitingFor(): string | null {
  return useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => now,
  );
}
