/** The areas with the terms of their sum. */

import { type RefObject, useMemo } from "react";
import type { Areas } from "../api/bulk";
import type { View } from "../api/client";
import { levelText } from "../format";
import { termOf } from "../outcome/terms";
import { besideText, doubts, SIDE_WORDS, valueText } from "../outcome/words";
import { useAnswer } from "../state/asked";
import { useKinds, useOtherMeasures } from "../state/queries";
import { useParts } from "../state/store";
import { type Column, Grid } from "./Grid";
import type { Cell } from "./sorting";

interface Props {
  view: View;
  areas: Areas;
  shown: RefObject<(() => string) | null>;
}

function finite(n: number): number | null {
  return Number.isFinite(n) ? n : null;
}

export function AreaRows({ view, areas, shown }: Props) {
  const { hovered, selected, set } = useParts("hovered", "selected", "set");
  const under = termOf(view, "under");
  const others = useOtherMeasures(view, true);
  const kinds = useAnswer(useKinds(view, true));
  const crude = areas.steps.length ? areas.steps[0] : null;
  const sure = view.total_interval !== null;
  const marked = useMemo(() => areas.unreliable.some((flag) => flag > 0), [areas]);
  const columns: Column[] = [
    { title: "area", share: 2 },
    { title: "name", share: 3 },
    ...(view.terms.length ? [{ title: view.terms[0].noun, share: 1, number: true }] : []),
    ...view.named.map((n): Column => ({ title: n.name, share: 1, number: true })),
    ...(under ? [{ title: under.noun, share: 1, number: true }] : []),
    ...(kinds?.words.map((word): Column => ({ title: word, share: 1.5, number: true })) ?? []),
    ...(crude ? [{ title: "as counted", share: 1.5, number: true }] : []),
    { title: view.value_name, share: 3, number: !areas.words.length },
    ...(sure
      ? [
          { title: "from", share: 1, number: true },
          { title: `to (${levelText(view.level)})`, share: 1.5, number: true },
        ]
      : []),
    ...(areas.side ? [{ title: `against ${view.against?.says}`, share: 2 }] : []),
    ...(marked ? [{ title: "unreliable", share: 3 }] : []),
    ...others.map((o): Column => ({ title: o.name, share: 2, number: !o.values.words.length })),
  ];
  const cells = useMemo(
    () =>
      areas.name.map((name, i): Cell[] => [
        areas.identifier[i],
        name,
        ...(view.terms.length ? [Number.isNaN(areas.numerator[i]) ? null : areas.numerator[i]] : []),
        ...areas.named.map((figures) => (Number.isNaN(figures[i]) ? null : figures[i])),
        ...(under ? [Number.isNaN(areas.denominator[i]) ? null : areas.denominator[i]] : []),
        ...(kinds?.counts.map((count) => (count[i] < 0 ? null : count[i])) ?? []),
        ...(crude ? [Number.isNaN(crude[i]) ? null : crude[i]] : []),
        areas.words.length || Number.isNaN(areas.value[i]) ? valueText(areas, i) : areas.value[i],
        ...(sure ? [Number.isNaN(areas.low[i]) ? null : areas.low[i], finite(areas.high[i])] : []),
        ...(areas.side ? [SIDE_WORDS[areas.side[i]]] : []),
        ...(marked ? [doubts(view, areas, i).join(" ")] : []),
        ...others.map(({ values }) =>
          values.words.length || Number.isNaN(values.value[i]) ? besideText(values, i) : values.value[i],
        ),
      ]),
    [areas, under, others, kinds, view, crude, sure, marked],
  );
  return (
    <Grid
      label="Areas"
      columns={columns}
      rows={cells}
      first={{ column: columns.findIndex((c) => c.title === view.value_name), down: true }}
      marked={[hovered, selected]}
      shown={shown}
      onHover={(row) => set({ hovered: row })}
      onChoose={(row) => set({ selected: row })}
    />
  );
}
