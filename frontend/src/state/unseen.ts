/** The classes that are not shown on the map for the moment. */
import type { View } from "../api/client";
import { useParts } from "./store";

const NONE: readonly number[] = [];

export function useUnseen(view: View): readonly number[] {
  const { unseen } = useParts("unseen");
  return unseen?.key === view.keys.classed ? unseen.classes : NONE;
}
