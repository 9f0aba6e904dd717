/** Where the keys go when a part of the page opens, and where they go back to when it closes. */
import { type RefObject, useEffect } from "react";

export function useFocusHere(part: RefObject<HTMLElement | null>, of: unknown = null): void {
  // biome-ignore lint/correctness/useExhaustiveDependencies: another part in the same place takes the keys anew
  useEffect(() => {
    const before = document.activeElement;
    part.current?.focus({ preventScroll: true });
    return () => {
      const lost = document.activeElement === document.body || part.current?.contains(document.activeElement);
      if (lost && before instanceof HTMLElement && before.isConnected) before.focus({ preventScroll: true });
    };
  }, [part, of]);
}
