/** The events that lie in another area than they state. */

import type { View } from "../api/client";
import { useDisagreeing } from "../state/queries";
import { Found, Table } from "./Grid";

export function DisagreeingRows({ view }: { view: View }) {
  const found = useDisagreeing(view);
  return (
    <Found of={found}>
      {(rows) => <Table label="Events in another area" view={view} found={rows} numbers={["record"]} />}
    </Found>
  );
}
