/** How large the window is, now and whenever that changes. */
import { useSyncExternalStore } from "react";
import { unit } from "../unit";
import { cardWidth, isSmall, railWidth } from "./hang";

function listen(tell: () => void): () => void {
  window.addEventListener("resize", tell);
  return () => window.removeEventListener("resize", tell);
}

export function useWindowWidth(): number {
  return useSyncExternalStore(listen, () => window.innerWidth);
}

export function useWindowHeight(): number {
  return useSyncExternalStore(listen, () => window.innerHeight);
}

/** Is there no room for rail, sheet, map and card beside one another? They stand below each other then. */
export function useSmall(): boolean {
  // Large text needs as much more room.
  return isSmall(useWindowWidth() / unit, useWindowHeight() / unit);
}

export function useRailWidth(): number {
  const [width, small] = [useWindowWidth(), useSmall()];
  return small ? width : railWidth(width);
}

/** What the card takes of the map. */
export function useCardWidth(): number {
  const [width, small] = [useWindowWidth(), useSmall()];
  return small ? 0 : cardWidth(width);
}
