/** The events that lie in another area than they state. */

import type { View } from "../api/client";
import { useDisagreeing } from "../state/queries";
import { Say, Table } from "./Grid";

export function DisagreeingRows({ view }: { view: View }) {
  const found = useDisagreeing(view);
  if (found.error) return <Say text={found.error.message} bad />;
  if (!found.data) return <Say text="Looking them up…" />;
  return <Table label="Events in another area" view={view} found={found.data} numbers={["record"]} />;
}
