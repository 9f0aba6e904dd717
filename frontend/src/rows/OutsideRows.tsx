/** The events that have a place and lie in no area, the nearest first. */

import type { View } from "../api/client";
import { useOutside } from "../state/queries";
import { Say, Table } from "./Grid";

export function OutsideRows({ view }: { view: View }) {
  const found = useOutside(view);
  if (found.error) return <Say text={found.error.message} bad />;
  if (!found.data) return <Say text="Looking them up…" />;
  if (!found.data.total) return <Say text="Every event that has a place lies in an area." />;
  return <Table label="Events in no area" view={view} found={found.data} numbers={["record", "metres"]} />;
}
