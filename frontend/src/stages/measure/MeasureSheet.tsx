/** Measure's sheet: the study's measures, of which one is mapped, those that could be added, and how it is worked out. */
import Box from "@mui/material/Box";
import RadioGroup from "@mui/material/RadioGroup";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Study, View } from "../../api/client";
import { Field } from "../../parts/Fields";
import { Choice, Link, Notes, Question, Quiet } from "../../parts/parts";
import { hasTime, mappedEvents, mappedEventsName, mappedMeasure, mappedName } from "../../plan/mapped";
import { addMeasure, rename, takeOut } from "../../plan/measures";
import { guessedRate } from "../../plan/rate";
import type { FromTable, Rate } from "../../plan/types";
import { type Save, usePlans, useProposal, useSources, useTally } from "../../state/queries";
import { MADDER, QUIET } from "../../theme";
import { AreaRows } from "./AreaRows";
import { isLike, KINDS, type Known, type Offer } from "./kinds";
import { RowFilter } from "./RowFilter";
import { ShareGroup } from "./ShareGroup";

interface Props {
  study: Study;
  view: View;
  save: Save;
}

/** How residents are known for the open areas: as the plan or an earlier one has it, or by a first guess. */
function useRate(study: Study, view: View): Rate | null {
  const plans = usePlans(study).data?.versions ?? [];
  const sources = useSources(study).data ?? [];
  const areas = view.plan.place.areas;
  if (areas.kind !== "zones") return null;
  const perTable = (plan: View["plan"]) =>
    Object.values(plan.measure).find((m): m is Rate => m.kind === "rate" && m.denominator.kind === "table");
  const here = mappedMeasure(view.plan);
  if (here.kind === "rate" && here.denominator.kind === "table") return here;
  const versions = [...plans.map((p) => p.document), view.plan];
  const before = versions.findLast((p) => {
    const then = p.place.areas;
    return then.kind === "zones" && then.source === areas.source && perTable(p);
  });
  return before ? perTable(before)! : guessedRate(areas, sources, hasTime(mappedEvents(view.plan)));
}

export function MeasureSheet({ study, view, save }: Props) {
  const guessed = useRate(study, view);
  const [answer, setAnswer] = useState<FromTable | null>(null);
  const table = guessed?.denominator.kind === "table" ? guessed.denominator : undefined;
  const asked = useProposal(view, answer ?? table);
  const proposal = asked.data;
  const events = mappedEvents(view.plan);
  const tally = useTally(view, events.where).data;
  const mapped = mappedName(view.plan);
  const measure = mappedMeasure(view.plan);
  const perTable = measure.kind === "rate" && measure.denominator.kind === "table";
  const [naming, setNaming] = useState<string | null>(null);
  const [name, setName] = useState("");
  const keepName = () => {
    setNaming(null);
    if (name.trim() !== mapped) save((plan) => rename(plan, mapped, name));
  };
  const known: Known = {
    of: mappedEventsName(view.plan),
    events,
    period: view.period_noun,
    rate:
      guessed && proposal
        ? {
            measure: { ...guessed, denominator: proposal.denominator as FromTable },
            refusal: proposal.refusal,
          }
        : null,
    tally,
  };
  const there = Object.entries(view.plan.measure);
  const offers = Object.values(KINDS)
    .flatMap((kind) => kind.offers(known))
    .filter((offer) => !there.some(([, m]) => isLike(m, offer.measure)));
  const answers = (denominator: FromTable) => {
    setAnswer(denominator);
    if (perTable)
      save((plan) => {
        const now = mappedMeasure(plan);
        if (now.kind === "rate") now.denominator = denominator;
      });
  };
  return (
    <>
      <Question>How much, per what?</Question>
      <RadioGroup value={mapped} aria-label="Measure">
        {there.map(([name]) => (
          <Choice
            key={name}
            value={name}
            label={name}
            onChoose={() =>
              save((plan) => {
                plan.show.mapped = name;
              })
            }
          />
        ))}
        {offers.length > 0 && <Box sx={{ color: QUIET, fontSize: "0.8125rem", mt: 1 }}>or a new one:</Box>}
        {offers.map((offer: Offer) => (
          <Choice
            key={offer.name}
            value={offer.name}
            label={offer.name}
            disabled={Boolean(offer.refusal)}
            onChoose={() => save((plan) => addMeasure(plan, offer.name, offer.measure))}
          />
        ))}
      </RadioGroup>
      <Box sx={{ display: "flex", gap: 2, mt: 1 }}>
        {naming === mapped ? (
          <Field label="Its name" value={name} onChange={setName} onLeave={keepName} />
        ) : (
          <>
            <Link
              onClick={() => {
                setNaming(mapped);
                setName(mapped);
              }}
            >
              call it otherwise
            </Link>
            {there.length > 1 && (
              <Link onClick={() => save((plan) => takeOut(plan, mapped))}>take it out of the study</Link>
            )}
          </>
        )}
      </Box>
      {measure.kind === "share" && <ShareGroup view={view} save={save} measure={measure} tally={tally} />}
      {proposal &&
        (perTable || !there.some(([, m]) => m.kind === "rate" && m.denominator.kind === "table")) && (
          <AreaRows proposal={proposal} onAnswer={answers} />
        )}
      {asked.error && <Quiet colour={MADDER}>{asked.error.message}</Quiet>}
      {perTable && <RowFilter study={study} view={view} save={save} />}
      {!guessed && (
        <Quiet>Nobody has said how many live in these areas, so there is no rate per resident.</Quiet>
      )}
      {measure.kind === "count" && (
        <Typography sx={{ color: MADDER, mt: 1 }}>
          Counts mostly show where people live. Divide by residents or by area before you compare areas.
        </Typography>
      )}
      <Notes view={view} stage="measure" />
    </>
  );
}
