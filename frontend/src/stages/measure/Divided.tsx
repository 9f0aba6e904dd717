/** What stands below the line: who lives there, another figure, the ground, other events, the whole, or nothing. */
import Box from "@mui/material/Box";
import RadioGroup from "@mui/material/RadioGroup";
import type { View } from "../../api/client";
import { Pick } from "../../parts/Fields";
import { Choice, Unfold } from "../../parts/parts";
import { offerSays } from "../../plan/offers";
import { isSame, ofEvents, ofGround } from "../../plan/sums";
import type { Denominator, Term } from "../../plan/types";
import type { Offers } from "../../state/queries";
import { QUIET } from "../../theme";
import { Group } from "./Counted";

interface Props {
  view: View;
  offers: Offers;
  now: Denominator | null;
  onChange: (term: Denominator | null) => void;
}

export function Divided({ view, offers, now, onChange }: Props) {
  const people = offers.tables.filter((o) => o.people);
  const others = offers.tables.filter((o) => !o.people);
  const table = (list: Offers["tables"]) =>
    list.map((o) => ({
      term: o.term as Denominator,
      says: offerSays(o),
    }));
  const choices: { term: Denominator | null; says: string }[] = [
    ...table(people),
    { term: ofGround(), says: "the ground" },
    ...offers.events.map(({ events }) => ({
      term: ofEvents(events) as Denominator,
      says: `${events}: how many`,
    })),
    { term: { kind: "whole" }, says: "what all areas have: each area's part of the whole" },
    { term: null, says: "nothing" },
  ];
  const more = table(others);
  const value = (list: typeof choices, base: number) => list.findIndex((c) => isSame(c.term, now)) + base;
  const at = value(choices, 0);
  return (
    <>
      <RadioGroup value={String(at)} aria-label="What it is divided by">
        {choices.map(({ term, says }, i) => (
          <Choice key={says} value={String(i)} label={says} onChoose={() => onChange(term)} />
        ))}
      </RadioGroup>
      {!people.length && (
        <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>
          No table says how many live in these areas. Bring one in through Gather.
        </Box>
      )}
      {now?.kind === "ground" && <Ground now={now} water={offers.water} onChange={onChange} />}
      {now?.kind === "events" && <Group view={view} now={now} onChange={onChange} />}
      {more.length > 0 && (
        <Unfold title="or another figure" open={at < 0}>
          <RadioGroup value={String(value(more, 0))} aria-label="Another figure">
            {more.map(({ term, says }, i) => (
              <Choice key={says} value={String(i)} label={says} onChoose={() => onChange(term)} />
            ))}
          </RadioGroup>
        </Unfold>
      )}
    </>
  );
}

type Ground = Extract<Term, { kind: "ground" }>;

/** In which unit ground is, and what of it is none. */
function Ground(props: { now: Ground; water: string[]; onChange: (term: Ground) => void }) {
  const { now, water, onChange } = props;
  const there = now.without && !water.includes(now.without) ? [...water, now.without] : water;
  return (
    <>
      <Pick<Ground["unit"]>
        label="Ground in"
        value={now.unit}
        options={[
          ["km2", "km²"],
          ["mi2", "square miles"],
        ]}
        onChange={(unit) => onChange({ ...now, unit })}
      />
      {there.length > 0 && (
        <Pick
          label="Less what lies in"
          value={now.without ?? ""}
          options={[["", "nothing"] as const, ...there.map((w) => [w, w] as const)]}
          onChange={(without) => onChange({ ...now, without: without || null })}
        />
      )}
    </>
  );
}
