/** The areas with the terms of their sum. */

import { useMemo } from "react";
import type { Areas } from "../api/bulk";
import type { View } from "../api/client";
import { termOf } from "../outcome/terms";
import { STATE_WORDS } from "../outcome/words";
import { useParts } from "../state/store";
import { type Column, Grid } from "./Grid";
import type { Cell } from "./sorting";

export function AreaRows({ view, areas }: { view: View; areas: Areas }) {
  const { hovered, selected, set } = useParts("hovered", "selected", "set");
  const under = termOf(view, "under");
  const columns: Column[] = [
    { title: "area", share: 2 },
    { title: "name", share: 3 },
    { title: view.terms[0]?.noun ?? "", share: 1, number: true },
    ...(under ? [{ title: under.noun, share: 1, number: true }] : []),
    { title: view.value_name, share: 3, number: true },
  ];
  const cells = useMemo(
    () =>
      areas.name.map((name, i): Cell[] => [
        areas.identifier[i],
        name,
        areas.numerator[i],
        ...(under ? [Number.isNaN(areas.denominator[i]) ? null : areas.denominator[i]] : []),
        Number.isNaN(areas.value[i]) ? STATE_WORDS[areas.state[i]] : areas.value[i],
      ]),
    [areas, under],
  );
  return (
    <Grid
      label="Areas"
      columns={columns}
      rows={cells}
      first={{ column: columns.length - 1, down: true }}
      marked={[hovered, selected]}
      onHover={(row) => set({ hovered: row })}
      onChoose={(row) => set({ selected: row })}
    />
  );
}
