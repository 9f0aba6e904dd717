/** The records set aside, one of which may be given a place. */

import type { Schemas, Study, View } from "../api/client";
import { mappedEvents } from "../plan/mapped";
import { useSetAside } from "../state/queries";
import { useDoing } from "../state/store";
import { Correction } from "./Correction";
import { type Column, Found, Grid, labelled } from "./Grid";
import type { Cell } from "./sorting";

export function SetAsideRows({ study, view, reason }: { study: Study; view: View; reason: string | null }) {
  const found = useSetAside(view, reason, true);
  return <Found of={found}>{(rows) => <Rows study={study} view={view} found={rows} />}</Found>;
}

function Rows({ study, view, found }: { study: Study; view: View; found: Schemas["SetAsideRows"] }) {
  const set = useDoing((d) => d.set);
  const correcting = useDoing((d) => d.correcting);
  const skipped = found.columns.indexOf("reason");
  const keep = <T,>(row: T[]) => row.filter((_, i) => i !== skipped);
  const columns = keep(found.columns).map(
    (title): Column => ({
      title: labelled(view, title),
      share: title === "says" ? 4 : title === "record" || title === "line" ? 1 : 2,
      number: title === "record" || title === "line",
    }),
  );
  const identifier = found.columns.indexOf(mappedEvents(view.plan).identifier ?? "");
  const record = found.columns.indexOf("record");
  const all = found.rows;
  const name = (row: Cell[]) => {
    const own = identifier < 0 ? "" : String(row[identifier] ?? "").trim();
    return own || (mappedEvents(view.plan).identifier ? `record ${row[record]}` : String(row[record]));
  };
  return (
    <>
      {correcting && <Correction key={correcting} study={study} view={view} record={correcting} />}
      <Grid
        label="Records set aside"
        columns={columns}
        rows={all.map(keep)}
        marked={[correcting === null ? null : all.findIndex((row) => name(row) === correcting)]}
        onChoose={(row) => set({ correcting: name(all[row]), corrected: null })}
      />
    </>
  );
}
