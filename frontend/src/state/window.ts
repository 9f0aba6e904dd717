/** How wide the window is, now and whenever that changes. */
import { useSyncExternalStore } from "react";
import { cardWidth, railWidth } from "./hang";

export function useWindowWidth(): number {
  return useSyncExternalStore(
    (tell) => {
      window.addEventListener("resize", tell);
      return () => window.removeEventListener("resize", tell);
    },
    () => window.innerWidth,
  );
}

export const useRailWidth = () => railWidth(useWindowWidth());
export const useCardWidth = () => cardWidth(useWindowWidth());
