/** Measure's sheet: the study's measures, and the mapped one's sum, which is the form. */

import Box from "@mui/material/Box";
import RadioGroup from "@mui/material/RadioGroup";
import { type ReactNode, useState } from "react";
import type { Areas } from "../../api/bulk";
import type { Study, View } from "../../api/client";
import { whole } from "../../format";
import { Answer, ToStage } from "../../parts/Answer";
import { Field } from "../../parts/Fields";
import { Choice, Link, Notes, Question, Quiet, Unfold } from "../../parts/parts";
import { asFormula, type Formula } from "../../plan/formulas";
import { hasTime, mappedEvents, mappedEventsName, mappedMeasure, mappedName } from "../../plan/mapped";
import { addMeasure, rename, takeOut } from "../../plan/measures";
import { asBefore, counting, dividedBy, isInWords, isSame, POWERS, perGround } from "../../plan/sums";
import type { Category, FromTable, Measure, Quotient, Term } from "../../plan/types";
import { copied } from "../../records";
import { useAnswer } from "../../state/asked";
import { type Save, useChangeMeasure, useOffers, usePlans } from "../../state/queries";
import { MADDER } from "../../theme";
import { Counted } from "./Counted";
import { Divided } from "./Divided";
import { FormulaField } from "./FormulaField";
import { HowSure } from "./folds/HowSure";
import { MadeComparable } from "./folds/MadeComparable";
import { MayBeShown } from "./folds/MayBeShown";
import { type Slot, Sum } from "./Sum";
import { TableRows, WordRows } from "./TableRows";

interface Props {
  study: Study;
  view: View;
  areas: Areas | null;
  save: Save;
}

export function MeasureSheet(props: Props) {
  const { study, view, areas, save } = props;
  const { change, refusal, stage, pending, tried, readable } = useChangeMeasure(study, view);
  const mapped = mappedMeasure(view.plan);
  const formula: Formula = {
    kind: "formula",
    text: asFormula(mapped),
    about: mapped.kind === "formula" ? mapped.about : mappedEventsName(view.plan),
    noun: "",
    figures: {},
  };
  const keep = (measure: Measure) => change(measure);
  // What was tried and refused stays in its fold, so that the question that it raises can be answered.
  const shown = tried?.kind === "quotient" && mapped.kind === "quotient" ? tried : mapped;
  const folds = { view, areas, save, onChange: keep, refused: { by: refusal, stage, before: mapped } };
  return (
    <>
      <Question>How much, per what?</Question>
      <Measures view={view} save={save} />
      {mapped.kind === "formula" ? (
        <>
          <FormulaField key={view.measure} view={view} areas={areas} start={mapped} onKeep={keep} />
          <Link
            onClick={() => change(perGround(mappedEventsName(view.plan), hasTime(mappedEvents(view.plan))))}
          >
            or a sum of terms again
          </Link>
        </>
      ) : (
        <>
          <Terms
            {...props}
            change={change}
            now={tried && tried.kind !== "formula" ? tried : mapped}
            refusal={refusal}
            stage={stage}
            readable={readable}
          />
          <Unfold title="or by a formula">
            <FormulaField key={formula.text} view={view} areas={areas} start={formula} onKeep={keep} />
          </Unfold>
        </>
      )}
      {pending && <Quiet>Working it out…</Quiet>}
      {mapped.kind === "quotient" && view.terms.length === 1 && view.terms[0].noun === "events" && (
        <Quiet colour={MADDER}>
          Counts mostly show where people live. Divide by residents or by area before you compare areas.
        </Quiet>
      )}
      {shown.kind === "quotient" && (
        <>
          <HowSure {...folds} now={shown} />
          <MadeComparable {...folds} now={shown} />
        </>
      )}
      <MayBeShown view={view} save={save} />
      <Notes view={view} stage="measure" apart />
    </>
  );
}

interface TermsProps extends Props {
  now: Quotient | Category;
  change: (measure: Measure, how?: { rescale: boolean }) => void;
  /** Why what was tried cannot be worked out. */
  refusal: string;
  /** The stage at which that is put right. */
  stage: string;
  /** The multiplier that reads best. */
  readable: number;
}

/** The sum and the choices for each of its terms. */
function Terms({ study, view, areas, now, change, refusal, stage, readable }: TermsProps) {
  const [open, setOpen] = useState<Slot | null>(null);
  const asked = useOffers(view, open !== null);
  const plans = useAnswer(usePlans(study))?.versions.map((v) => v.document);
  /** A table that was joined before is joined as it was then. */
  const before = <T extends Term>(term: T): T =>
    term.kind === "table" ? asBefore([...(plans ?? []), view.plan], view.plan.place.areas, term) : term;

  const choices = (slot: Slot): ReactNode => (
    <>
      {refusal && (
        <Box role="alert">
          <Quiet colour={MADDER}>
            {refusal} The sum stays as it was. <ToStage stage={stage} />
          </Quiet>
        </Box>
      )}
      {choicesOf(slot)}
    </>
  );
  const counted = now.kind === "category" ? now.of : now.numerator;
  const choicesOf = (slot: Slot): ReactNode => {
    if (slot === "counted")
      return (
        <>
          <Answer of={asked}>
            {(offers) => (
              <Counted
                view={view}
                offers={offers}
                now={counted}
                refused={Boolean(refusal)}
                onChange={(term) =>
                  change(
                    counting(view.plan, now, isInWords(term) || isSame(term, counted) ? term : before(term)),
                    {
                      rescale:
                        !isInWords(term) &&
                        (!isSame(term, counted) || (now.kind === "quotient" && now.per === 1)),
                    },
                  )
                }
              />
            )}
          </Answer>
          {counted.kind === "table" && (
            <TableRows
              study={study}
              view={view}
              areas={areas}
              term="counted"
              now={counted}
              onChange={(term) => change(counting(view.plan, now, term))}
            />
          )}
          {counted.kind === "text" && (
            <WordRows
              study={study}
              view={view}
              areas={areas}
              now={counted}
              onChange={(of) => change({ kind: "category", of })}
            />
          )}
        </>
      );
    if (now.kind === "category") return null;
    switch (slot) {
      case "under":
        return (
          <>
            <Answer of={asked}>
              {(offers) => (
                <Divided
                  view={view}
                  offers={offers}
                  now={now.denominator}
                  onChange={(term) =>
                    change(dividedBy(now, term && !isSame(term, now.denominator) ? before(term) : term), {
                      rescale: !isSame(term, now.denominator),
                    })
                  }
                />
              )}
            </Answer>
            {now.denominator?.kind === "table" && (
              <TableRows
                study={study}
                view={view}
                areas={areas}
                term="under"
                now={now.denominator}
                onChange={(term: FromTable) => change({ ...now, denominator: term })}
              />
            )}
          </>
        );
      case "time":
        return (
          <Time view={view} now={now} onChange={(measure) => change(measure, { rescale: now.per === 1 })} />
        );
      case "per":
        return (
          <RadioGroup value={String(now.per)} aria-label="Times what">
            {[readable, ...POWERS.filter((p) => p !== readable), ...(isPower(now.per) ? [] : [now.per])].map(
              (per) => (
                <Choice
                  key={per}
                  value={String(per)}
                  label={per === readable ? `${whole(per)}, which reads best` : whole(per)}
                  onChoose={() => change({ ...now, per })}
                />
              ),
            )}
          </RadioGroup>
        );
    }
  };

  return (
    <Sum
      view={view}
      areas={areas}
      inWords={now.kind === "category"}
      open={open}
      onOpen={setOpen}
      choices={choices}
      onMend={(measure) => change(measure)}
    />
  );
}

function isPower(n: number): boolean {
  return (POWERS as readonly number[]).includes(n);
}

function Time({ view, now, onChange }: { view: View; now: Quotient; onChange: (measure: Measure) => void }) {
  if (!hasTime(mappedEvents(view.plan)))
    return <Quiet>Nothing says in which days events were recorded. Say it in Gather, under “records”.</Quiet>;
  const choices = [
    ["window", `${view.period_noun}s recorded`],
    ["year", "years recorded"],
    ["none", "nothing: over all recorded time"],
  ] as const;
  return (
    <RadioGroup value={now.time} aria-label="Divided by which time">
      {choices.map(([time, says]) => (
        <Choice key={time} value={time} label={says} onChoose={() => onChange({ ...now, time })} />
      ))}
    </RadioGroup>
  );
}

/** The study's measures by name: one is mapped, the others stand beside it. */
function Measures({ view, save }: { view: View; save: Save }) {
  const mapped = mappedName(view.plan);
  const names = Object.keys(view.plan.measure);
  const [naming, setNaming] = useState<string | null>(null);
  const [name, setName] = useState("");
  const keepName = () => {
    setNaming(null);
    if (name.trim() !== mapped) save((plan) => rename(plan, mapped, name));
  };
  return (
    <Box sx={{ mb: 1.5 }}>
      {names.length > 1 && (
        <RadioGroup value={mapped} aria-label="Measure">
          {names.map((one) => (
            <Choice
              key={one}
              value={one}
              label={one}
              onChoose={() =>
                save((plan) => {
                  plan.show.mapped = one;
                })
              }
            />
          ))}
        </RadioGroup>
      )}
      <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 2, rowGap: 0.5 }}>
        {naming === mapped ? (
          <Field label="Its name" value={name} onChange={setName} onLeave={keepName} />
        ) : (
          <>
            {names.length === 1 && <Box sx={{ width: "100%" }}>{mapped}</Box>}
            <Link
              onClick={() => {
                setNaming(mapped);
                setName(mapped);
              }}
            >
              call it otherwise
            </Link>
            <Link onClick={() => save((plan) => addMeasure(plan, mapped, copied(mappedMeasure(plan))))}>
              another beside it
            </Link>
            {names.length > 1 && (
              <Link onClick={() => save((plan) => takeOut(plan, mapped))}>take it out</Link>
            )}
          </>
        )}
      </Box>
    </Box>
  );
}
