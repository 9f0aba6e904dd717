/** Made comparable: standardised, against all areas, pooled by what areas have in common, lower or higher than a mark. */

import Box from "@mui/material/Box";
import RadioGroup from "@mui/material/RadioGroup";
import { useState } from "react";
import type { Schemas, View } from "../../../api/client";
import { figure, levelText, plural, whole } from "../../../format";
import { Answer } from "../../../parts/Answer";
import { Pick } from "../../../parts/Fields";
import { NumberField } from "../../../parts/NumberField";
import { Choice, Head, Link, Quiet } from "../../../parts/parts";
import { Ticked } from "../../../parts/Ticked";
import { mappedName } from "../../../plan/mapped";
import { type Against, type Comparable, canBeStandardised, fitting } from "../../../plan/sure";
import type { Quotient } from "../../../plan/types";
import { useAnswer } from "../../../state/asked";
import { useComparable, useLarger } from "../../../state/sureness";
import { INK, QUIET, RULE } from "../../../theme";
import { Fold, type FoldProps, Refusal } from "./Fold";

type Kind = Comparable["kind"] | "none";
type Standardised = Extract<Comparable, { kind: "direct" | "indirect" }>;

export function MadeComparable(props: FoldProps) {
  const { view, now } = props;
  const said = {
    none: "Areas are coloured by their figures as they are",
    direct: "Areas are coloured by the rate that each would have, were its people those of the standard",
    indirect: "Areas are coloured by events for each one that their people would lead one to expect",
    location_quotient: "Areas are coloured by how many times the figure of all areas theirs is",
  }[now.comparable?.kind ?? "none"];
  const more = view.against
    ? `; ${whole(view.against.lower)} lower and ${whole(view.against.higher)} higher than ${view.against.says}`
    : "";
  return (
    <Fold title="Made comparable" says={`${said}${more}.`}>
      <Refusal {...props} part={["comparable", "against"]} />
      <How {...props} />
      <SetAgainst {...props} />
      <Larger {...props} />
    </Fold>
  );
}

function How({ view, now, onChange }: FoldProps) {
  const offers = useAnswer(useComparable(view));
  const paired = (offers?.groups ?? []).filter((g) => g.events);
  const able = canBeStandardised(now.numerator, now.denominator) && (offers?.groups ?? []).length > 0;
  const by = paired.map(({ people, events }) => ({ people, events }));
  const choose = (kind: Kind) => {
    const before = now.comparable;
    const kept = before && before.kind !== "location_quotient" ? before : { by, standard: null };
    const made: Record<Kind, Comparable | null> = {
      none: null,
      direct: { kind: "direct", by: kept.by, standard: kept.standard },
      indirect: { kind: "indirect", by: kept.by, standard: kept.standard, shown: "ratio" },
      location_quotient: { kind: "location_quotient" },
    };
    onChange(fitting({ ...now, comparable: made[kind] }));
  };
  return (
    <>
      <RadioGroup
        value={now.comparable?.kind ?? "none"}
        aria-label="What areas are coloured by"
        sx={{ mt: 1 }}
      >
        <Choice value="none" label="the figures as they are" onChoose={() => choose("none")} />
        <Choice
          value="direct"
          label="the rate with the people of a standard (direct)"
          disabled={!able || by.length === 0}
          onChoose={() => choose("direct")}
        />
        <Choice
          value="indirect"
          label="events for each one expected (indirect)"
          disabled={!able || by.length === 0}
          onChoose={() => choose("indirect")}
        />
        <Choice
          value="location_quotient"
          label="how many times that of all areas (location quotient)"
          onChoose={() => choose("location_quotient")}
        />
      </RadioGroup>
      {offers && !able && (
        <Quiet>
          To standardise, count events and divide them by people from a table that tells ages, sexes or other
          groups apart.
        </Quiet>
      )}
      {offers && able && by.length === 0 && (
        <Quiet>
          The table tells {offers.groups.map((g) => `“${g.people}”`).join(" and ")} apart, but no column of
          the events says the same.
        </Quiet>
      )}
      {offers && now.comparable && now.comparable.kind !== "location_quotient" && (
        <Groups now={now} made={now.comparable} offers={offers} onChange={onChange} />
      )}
    </>
  );
}

function Groups(props: {
  now: Quotient;
  made: Standardised;
  offers: Schemas["ComparableOffers"];
  onChange: (measure: Quotient) => void;
}) {
  const { now, made, offers, onChange } = props;
  const change = (comparable: Standardised) => onChange({ ...now, comparable });
  const columnOf = (people: string) => made.by.find((one) => one.people === people)?.events ?? "";
  const standard = made.standard;
  const of = offers.standards.find((s) => s.source === standard?.source);
  const figures = (of?.figures ?? []).map((name) => [name, name] as const);
  return (
    <Box sx={{ pl: 1 }}>
      {offers.groups.map(({ people }) => (
        <Pick
          key={people}
          label={`“${people}” is, of the events`}
          value={columnOf(people)}
          options={[["", "not told apart"], ...offers.events.map((name) => [name, name] as const)]}
          onChange={(events) => {
            const others = made.by.filter((one) => one.people !== people);
            const by = events ? [...others, { people, events }] : others;
            if (by.length) change({ ...made, by });
          }}
        />
      ))}
      <Pick
        label="The standard population is"
        value={standard?.source ?? ""}
        options={[
          ["", "all areas of the study together"],
          ...offers.standards.map((s) => [s.source, `that of “${s.source}”`] as const),
        ]}
        onChange={(source) => {
          const columns = offers.standards.find((s) => s.source === source)?.figures ?? [];
          const events = made.kind === "indirect" ? (columns[1] ?? null) : null;
          change({
            ...made,
            standard: source ? { source, people: columns[0], events, columns: {}, decimal: null } : null,
          });
        }}
      />
      {standard && (
        <Box sx={{ display: "flex", gap: 1 }}>
          <Pick
            label="Its people stand in"
            value={standard.people}
            options={figures}
            onChange={(people) => change({ ...made, standard: { ...standard, people } })}
          />
          {made.kind === "indirect" && (
            <Pick
              label="Its events stand in"
              value={standard.events ?? ""}
              options={figures}
              onChange={(events) => change({ ...made, standard: { ...standard, events } })}
            />
          )}
        </Box>
      )}
      {made.kind === "indirect" && (
        <Pick
          label="Shown as"
          value={made.shown}
          options={[
            ["ratio", "events for each one expected"],
            ["rate", "that, times the rate of all areas"],
          ]}
          onChange={(shown) => change({ ...made, shown })}
        />
      )}
    </Box>
  );
}

function SetAgainst({ view, now, onChange, save }: FoldProps) {
  const offers = useAnswer(useComparable(view));
  const against = now.against;
  const corrected = against?.corrected ?? true;
  const choose = (kind: Against["kind"] | "none") => {
    const column = offers?.larger[0] ?? "";
    const made: Record<Against["kind"] | "none", Against | null> = {
      none: null,
      all: { kind: "all", corrected },
      larger: { kind: "larger", column, corrected },
      figure: { kind: "figure", figure: Number((view.total_value ?? 0).toPrecision(3)), corrected },
    };
    onChange({ ...now, against: made[kind] });
  };
  const isMapped = view.plan.class[mappedName(view.plan)].method === "clear_difference";
  if (view.total_interval === null && !against) return null;
  return (
    <>
      <Head>Lower, not different, higher</Head>
      <Pick
        label="Each area is set against"
        value={against?.kind ?? "none"}
        options={[
          ["none", "nothing"],
          ["all", "all areas together"],
          ...((offers?.larger.length ?? 0) > 0 || against?.kind === "larger"
            ? ([["larger", "the larger area that it is part of"]] as const)
            : []),
          ["figure", "a figure"],
        ]}
        onChange={choose}
      />
      {against?.kind === "larger" && (
        <Pick
          label="Which is told by"
          value={against.column}
          options={(offers?.larger ?? [against.column]).map((name) => [name, name] as const)}
          onChange={(column) => onChange({ ...now, against: { ...against, column } })}
        />
      )}
      {against?.kind === "figure" && (
        <NumberField
          label="The figure"
          value={against.figure}
          least={0}
          most={1e12}
          onKeep={(value) => onChange({ ...now, against: { ...against, figure: value } })}
        />
      )}
      {against && (
        <Ticked
          label={`of those called different, at most ${levelText(1 - now.sure.level)} by chance`}
          on={against.corrected}
          onChange={(on) => onChange({ ...now, against: { ...against, corrected: on } })}
        />
      )}
      {view.against && (
        <>
          <Quiet>
            {plural(view.against.lower, "area is", "areas are")} lower than {view.against.says},{" "}
            {whole(view.against.not_different)} not different, {whole(view.against.higher)} higher
            {view.against.unknown ? `; of ${whole(view.against.unknown)} it cannot be said` : ""}.
          </Quiet>
          {!isMapped && (
            <Box sx={{ mt: 0.5 }}>
              <Link
                onClick={() =>
                  save((plan) => {
                    const { count, zero } = plan.class[mappedName(plan)];
                    plan.class[mappedName(plan)] = { method: "clear_difference", count, zero };
                  })
                }
              >
                colour the map by these three
              </Link>
            </Box>
          )}
        </>
      )}
      {against && !view.against && (
        <Quiet>Of no area can that be said: nobody knows what chance has made of it.</Quiet>
      )}
    </>
  );
}

/** One rate for all areas that have the same in a column. */
function Larger({ view }: { view: View }) {
  const offers = useAnswer(useComparable(view));
  const [column, setColumn] = useState("");
  const found = useLarger(view, column);
  if (!offers?.larger.length) return null;
  return (
    <>
      <Head>All areas together that have the same</Head>
      <Pick
        label="In common"
        value={column}
        options={[["", "choose a column"], ...offers.larger.map((name) => [name, name] as const)]}
        onChange={setColumn}
      />
      {column && <Answer of={found}>{(rows) => <LargerRows view={view} rows={rows} />}</Answer>}
    </>
  );
}

function LargerRows({ view, rows }: { view: View; rows: Schemas["LargerViews"]["larger"] }) {
  const top = rows.reduce((most, r) => Math.max(most, r.high ?? r.value ?? 0), 0) || 1;
  return (
    <>
      {rows.map((row) => (
        <Box
          key={row.label}
          sx={{
            display: "grid",
            gridTemplateColumns: "minmax(4em, 1fr) 3.6em 120px 8.5em",
            columnGap: 1,
            alignItems: "center",
            borderBottom: `1px solid ${RULE}`,
            fontSize: "0.8125rem",
            py: 0.25,
          }}
        >
          <Box sx={{ overflowWrap: "anywhere" }} title={plural(row.areas, "area")}>
            {row.label || "blank"}
          </Box>
          <Box sx={{ textAlign: "right" }}>{row.value === null ? "–" : figure(row.value)}</Box>
          <svg width={120} height={12} aria-hidden>
            {row.value !== null && (
              <>
                {row.low !== null && row.high !== null && (
                  <line
                    x1={(116 * row.low) / top + 2}
                    x2={(116 * row.high) / top + 2}
                    y1={6}
                    y2={6}
                    stroke={INK}
                  />
                )}
                <circle cx={(116 * row.value) / top + 2} cy={6} r={3} fill={INK} />
              </>
            )}
          </svg>
          <Box sx={{ color: QUIET, textAlign: "right" }}>
            {row.low !== null && row.high !== null ? `${figure(row.low)} to ${figure(row.high)}` : ""}
          </Box>
        </Box>
      ))}
      {rows.length > 0 && (
        <Quiet>
          {now(view)}, of all areas of each together, with the {levelText(view.level)} interval.
        </Quiet>
      )}
    </>
  );
}

function now(view: View): string {
  return view.value_name.replace(/, drawn towards .*$/, "");
}
