/** Which events are the group whose share is taken: the values of one column. */
import type { Tally, View } from "../../api/client";
import { Pick } from "../../parts/Fields";
import { Head, Ticks } from "../../parts/parts";
import { mappedEvents, mappedMeasure } from "../../plan/mapped";
import type { Condition, Measure } from "../../plan/types";
import type { Save } from "../../state/queries";

interface Props {
  view: View;
  save: Save;
  measure: Extract<Measure, { kind: "share" }>;
  tally: Tally | undefined;
}

export function ShareGroup({ view, save, measure, tally }: Props) {
  const columns = tally?.columns.filter((c) => c.values.length > 1) ?? [];
  const now = measure.group.find((c) => c.kind === "values");
  const values = columns.find((c) => c.column === now?.column)?.values ?? [];
  const labels = mappedEvents(view.plan).labels;
  const put = (column: string, chosen: string[]) =>
    save((plan) => {
      const share = mappedMeasure(plan);
      const group: Condition = { kind: "values", name: null, on: true, column, values: chosen, keep: true };
      if (share.kind === "share" && chosen.length) share.group = [group];
    });
  const toggle = (value: string) => {
    if (!now) return;
    const chosen = now.values.includes(value)
      ? now.values.filter((v) => v !== value)
      : [...now.values, value];
    put(now.column, chosen);
  };
  return (
    <>
      <Head>The group</Head>
      <Pick
        label="Events with, in column"
        value={now?.column ?? ""}
        options={columns.map((c) => [c.column, labels[c.column] ?? c.column] as const)}
        onChange={(column) => put(column, [columns.find((c) => c.column === column)!.values[0].value])}
      />
      <Ticks
        values={Object.fromEntries(values.map((v) => [v.value, v.events]))}
        ticked={new Set(now?.values)}
        onToggle={toggle}
      />
    </>
  );
}
