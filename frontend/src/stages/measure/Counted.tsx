/** What stands above the line: events, persons, a figure of the events' own, or a figure of the areas. */
import RadioGroup from "@mui/material/RadioGroup";
import type { View } from "../../api/client";
import { Part, Present, Values } from "../../parts/Conditions";
import { DecimalSign, Pick } from "../../parts/Fields";
import { Choice, Quiet, Unfold } from "../../parts/parts";
import type { Change } from "../../plan/filter";
import { offerSays } from "../../plan/offers";
import { isSame, ofEvents } from "../../plan/sums";
import type { InWords, Numerator, Term } from "../../plan/types";
import { useAnswer } from "../../state/asked";
import { type Offers, useTally } from "../../state/queries";

type Figure = Extract<Term, { kind: "figure" }>;
type OfEvents = Extract<Term | InWords, { events: string }>;

export const TAKES: readonly (readonly [Figure["take"], string])[] = [
  ["sum", "sum"],
  ["mean", "mean"],
  ["median", "median"],
  ["least", "least"],
  ["greatest", "greatest"],
];

type Choices = { term: Numerator | InWords; says: string }[];

interface Props {
  view: View;
  offers: Offers;
  now: Numerator | InWords;
  refused: boolean;
  onChange: (term: Numerator | InWords) => void;
}

export function Counted({ view, offers, now, refused, onChange }: Props) {
  const choices: Choices = offers.events.flatMap(
    ({ events, names, figures, kinds }): Choices => [
      { term: ofEvents(events), says: `${events}: how many` },
      ...(names.length
        ? [{ term: personsOf(events, names[0], now), says: `${events}: how many different persons` }]
        : []),
      ...(figures.length
        ? [{ term: figureOf(events, figures[0], now), says: `${events}: a figure of theirs` }]
        : []),
      ...(kinds.length
        ? [
            { term: ofKinds("commonest", events, kinds[0], now), says: `${events}: their commonest kind` },
            { term: ofKinds("diversity", events, kinds[0], now), says: `${events}: how mixed they are` },
          ]
        : []),
    ],
  );
  const at = choices.findIndex(({ term }) => isLike(term, now));
  const mine = "events" in now ? offers.events.find((o) => o.events === now.events) : undefined;
  return (
    <>
      <RadioGroup value={at < 0 ? "table" : String(at)} aria-label="What is counted">
        {choices.map(({ term, says }, i) => (
          <Choice key={says} value={String(i)} label={says} onChoose={() => onChange(term)} />
        ))}
      </RadioGroup>
      {now.kind === "persons" && mine && (
        <Pick
          label="Each text in this column is one"
          value={now.column}
          options={mine.names.map((c) => [c, c] as const)}
          onChange={(column) => onChange({ ...now, column })}
        />
      )}
      {now.kind === "figure" && mine && (
        <>
          <Pick
            label="Of the numbers in"
            value={now.column}
            options={mine.figures.map((c) => [c, c] as const)}
            onChange={(column) => onChange({ ...now, column, decimal: null })}
          />
          <Pick
            label="take the"
            value={now.take}
            options={TAKES}
            onChange={(take) => onChange({ ...now, take })}
          />
          {(refused || now.decimal) && (
            <DecimalSign
              open
              value={now.decimal ?? ""}
              onChange={(decimal) => onChange({ ...now, decimal })}
            />
          )}
        </>
      )}
      {(now.kind === "commonest" || now.kind === "diversity") && mine && (
        <>
          <Pick
            label="Their kinds stand in"
            value={now.column}
            options={mine.kinds.map((c) => [c, c] as const)}
            onChange={(column) => onChange({ ...now, column })}
          />
          {now.kind === "diversity" && (
            <Quiet>How likely two events of an area, drawn at random, are of different kinds.</Quiet>
          )}
        </>
      )}
      {"events" in now && <Group view={view} now={now} onChange={onChange} />}
      {offers.tables.length > 0 && (
        <Unfold title="or a figure of the areas, without events" open={now.kind === "table"}>
          <RadioGroup value={tableValue(offers, now)} aria-label="A figure of the areas">
            {offers.tables.map(({ term }, i) => (
              <Choice
                key={`${term.source} ${term.value}`}
                value={String(i)}
                label={offerSays(offers.tables[i])}
                onChoose={() => onChange(term as Numerator)}
              />
            ))}
          </RadioGroup>
        </Unfold>
      )}
      {offers.words.length > 0 && (
        <Unfold title="or a word that a table says of each area" open={now.kind === "text"}>
          <RadioGroup
            value={String(offers.words.findIndex((o) => isSame(o.term as InWords, now)))}
            aria-label="A word for each area"
          >
            {offers.words.map(({ term }, i) => (
              <Choice
                key={`${term.source} ${term.column}`}
                value={String(i)}
                label={`${term.column}, from “${term.source}”`}
                onChoose={() => onChange(term as InWords)}
              />
            ))}
          </RadioGroup>
        </Unfold>
      )}
    </>
  );
}

/** Which of the offers of tables a term is. */
export function tableValue(offers: Offers, now: Term | InWords | null): string {
  return String(offers.tables.findIndex((o) => isSame(o.term as Term, now)));
}

/** Which events are meant: conditions like those of the filter, on these events alone. */
export function Group<T extends OfEvents>(props: { view: View; now: T; onChange: (term: T) => void }) {
  const { view, now, onChange } = props;
  const filter = view.plan.gather.events[now.events]?.where ?? [];
  const tally = useAnswer(useTally(view, [...filter, ...now.where], now.events));
  const change: Change = (alter) => onChange({ ...now, where: alter(now.where) });
  const columns = tally?.columns.filter((c) => c.values.length > 1) ?? [];
  return (
    <Unfold title="only those of a group" open={now.where.length > 0}>
      {now.where.length > 0 && <Present where={now.where} change={change} />}
      {columns.map((column) => (
        <Part
          key={column.column}
          title={view.plan.gather.events[now.events]?.labels[column.column] ?? column.column}
        >
          <Values column={column} where={now.where} change={change} />
        </Part>
      ))}
    </Unfold>
  );
}

function ofKinds(kind: "commonest" | "diversity", events: string, column: string, now: Numerator | InWords) {
  if ((now.kind === "commonest" || now.kind === "diversity") && now.events === events)
    return { ...now, kind };
  return { kind, events, column, where: groupOf(events, now) };
}

function personsOf(events: string, column: string, now: Numerator | InWords): Numerator {
  if (now.kind === "persons" && now.events === events) return now;
  return { kind: "persons", events, column, where: groupOf(events, now), noun: "persons" };
}

function figureOf(events: string, column: string, now: Numerator | InWords): Numerator {
  if (now.kind === "figure" && now.events === events) return now;
  return {
    kind: "figure",
    events,
    column,
    take: "sum",
    decimal: null,
    where: groupOf(events, now),
    noun: "",
  };
}

/** A group that was chosen stays chosen when something else is counted of the same events. */
function groupOf(events: string, now: Numerator | InWords) {
  return "events" in now && now.events === events ? now.where : [];
}

function isLike(a: Numerator | InWords, b: Numerator | InWords): boolean {
  return a.kind === b.kind && "events" in a && "events" in b && a.events === b.events;
}
