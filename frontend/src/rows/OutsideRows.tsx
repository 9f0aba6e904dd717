/** The events that have a place and lie in no area, the nearest first. */

import type { View } from "../api/client";
import { useOutside } from "../state/queries";
import { Found, Say, Table } from "./Grid";

export function OutsideRows({ view }: { view: View }) {
  const found = useOutside(view);
  return (
    <Found of={found}>
      {(rows) =>
        rows.total ? (
          <Table label="Events in no area" view={view} found={rows} numbers={["record", "metres"]} />
        ) : (
          <Say text="Every event that has a place lies in an area." />
        )
      }
    </Found>
  );
}
