/** The account line: five ruled columns, each with its figure and, underneath, what did not go on. */

import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import type { View } from "../api/client";
import { figure, levelText, plural, whole } from "../format";
import { isLaid } from "../map/overlays";
import { dividedBy, termFigure } from "../outcome/terms";
import { trialText } from "../outcome/words";
import { WithTerm } from "../parts/parts";
import { mappedClasses, mappedMeasure } from "../plan/mapped";
import { saidOf } from "../plan/methods";
import { record } from "../records";
import { saidIn } from "../state/asked";
import { useTrials } from "../state/queries";
import { STAGES, type Stage, useParts } from "../state/store";
import { useSmall } from "../state/window";
import { HEADING, INK, MADDER, QUIET, RULE } from "../theme";

interface Column {
  figure: string;
  note: string;
  /** The textbook's words for the note. */
  term?: string;
  /** What stands smaller beside the figure. */
  beside?: string;
  /** The note needs a decision. */
  warns?: boolean;
  /** The note opens the records set aside. */
  rows?: boolean;
}

export function columnsOf(view: View): Record<Stage, Column> {
  const [gather, place] = view.ledger.stages;
  const missing = view.states.reduce((sum, s) => sum + s.areas, 0);
  const classes = view.bands.length;
  return {
    gather: view.events_name
      ? {
          figure: whole(gather.records_out),
          note: `${whole(gather.records_set_aside)} set aside`,
          rows: true,
        }
      : { figure: "no events", note: "figures of the areas" },
    place: !view.events_name
      ? { figure: plural(view.ledger.areas.read, "area"), note: "" }
      : {
          figure: whole(place.records_out),
          beside:
            view.ledger.placements > place.records_out
              ? `${whole(view.ledger.placements)} placements`
              : undefined,
          ...placeNote(view),
          rows: true,
        },
    measure: {
      figure: totalText(view),
      beside: hasMiddle(view) ? "in the middle area" : undefined,
      ...measureNote(view),
    },
    class:
      mappedMeasure(view.plan).kind === "category"
        ? { figure: plural(classes, "kind"), note: "" }
        : {
            figure: plural(classes, "class", "classes"),
            beside: fitText(view),
            ...classNote(view),
          },
    show: {
      figure: view.kind === "cells" ? cellsOf(view) : "zones",
      note: missing ? `${plural(missing, "area")} without a value` : "every area has a value",
    },
  };
}

/** How good the classes are, in a word or two. */
function fitText({ ledger, level }: View): string {
  if (ledger.words.length) return `at ${levelText(level)}`;
  return ledger.fit === null ? "no fit" : `fit ${ledger.fit.toFixed(2)}`;
}

/** How they were made, in the words that the sheet has. */
function classNote(view: View): Pick<Column, "note" | "term"> {
  const { says, term } = saidOf(mappedClasses(view.plan), dividedBy(view));
  return { note: says, term };
}

/** All areas together have no figure, but the middle one has. */
function hasMiddle(view: View): boolean {
  return view.total_value === null && view.middle_area !== null;
}

/** The value of all areas together, or of the middle one; events that are only counted are called so. */
function totalText(view: View): string {
  const total = view.total_value;
  if (mappedMeasure(view.plan).kind === "category") return view.total_word || "a word each";
  if (total === null) return view.middle_area === null ? "–" : figure(view.middle_area);
  if (view.terms.length !== 1) return figure(total);
  const noun = view.terms[0].noun;
  return noun === "events" ? plural(total, "event") : `${termFigure(total)} ${noun}`;
}

/** What the figure is, or what does not fit together in it. */
function measureNote(view: View): { note: string; warns: boolean } {
  const open = [...new Set(view.notes.filter((n) => n.stage === "measure" && n.warns).map((n) => n.warns))];
  if (open.length) {
    const divided = open.filter((o) => /^(all|whole) /.test(o));
    const note = divided.length === open.length ? `divided by ${open.join(", ")}!` : open.join(", ");
    return { note, warns: true };
  }
  const divided = mappedMeasure(view.plan).kind === "quotient";
  const note =
    divided && view.terms.length === 1
      ? `in ${plural(view.ledger.areas.read, "area")}`
      : divided
        ? view.value_name.replace(/^events /, "")
        : view.value_name;
  return { note, warns: false };
}

function placeNote(view: View): { note: string; warns: boolean } {
  const place = view.ledger.stages[1];
  const onlyOutside = place.set_aside.every((r) => r.reason === "outside_every_area");
  const share = view.records ? view.located / view.records : 1;
  if (place.records_in > 0 && place.records_out === 0)
    return { note: "no event lies in any area", warns: true };
  if (share < view.plan.place.complete_from)
    return { note: `only ${Math.floor(100 * share)} % could be located`, warns: true };
  const aside = `${whole(place.records_set_aside)} ${onlyOutside ? "outside" : "not placed"}`;
  return { note: aside, warns: false };
}

function cellsOf(view: View): string {
  const areas = view.plan.place.areas;
  return areas.kind === "grid" ? `${areas.shape}s` : "cells";
}

/** Nothing is known where the plan cannot be worked out, and the stage with the fault says so. */
function faultColumns(at: string): Record<Stage, Column> {
  const column = (stage: Stage): Column =>
    stage === at ? { figure: "–", note: "cannot be worked out", warns: true } : { figure: "–", note: "" };
  return record(STAGES.map((s) => [s, column(s)] as const)) as Record<Stage, Column>;
}

export function AccountLine({ view }: { view: View }) {
  const { sheet, tried, set } = useParts("sheet", "tried", "set");
  const small = useSmall();
  const trial = saidIn("the grid’s form", useTrials(view, tried ? [tried] : []).at(0));
  const columns = view.fault ? faultColumns(view.fault.stage) : columnsOf(view);
  if (trial && !isLaid(tried ?? undefined, view.plan.place))
    columns.place = { figure: `${whole(trial.cells)} cells`, note: trialText(trial) };
  return (
    <Box
      component="nav"
      aria-label="Account line"
      sx={{
        display: "grid",
        gridTemplateColumns: small ? "repeat(auto-fit, minmax(132px, 1fr))" : "repeat(5, minmax(0, 1fr))",
        borderTop: `3px double ${INK}`,
        borderBottom: `3px double ${INK}`,
      }}
    >
      {STAGES.map((stage, i) => (
        <Box key={stage} sx={{ borderLeft: i ? `1px solid ${RULE}` : 0, position: "relative" }}>
          <ButtonBase
            onClick={() => set({ sheet: sheet === stage ? null : stage })}
            aria-expanded={sheet === stage}
            sx={{
              display: "block",
              width: "100%",
              textAlign: "left",
              px: 2,
              pt: 0.75,
              pb: 0.5,
              "&:hover": { bgcolor: "#EFE9DB" },
            }}
          >
            <Box sx={{ fontFamily: HEADING, fontSize: "1rem" }}>
              {stage[0].toUpperCase() + stage.slice(1)}
            </Box>
            <Box
              data-figure={stage}
              sx={{
                fontSize: "1.3rem",
                lineHeight: 1.3,
                whiteSpace: "nowrap",
                overflow: "hidden",
                textOverflow: "ellipsis",
              }}
            >
              {columns[stage].figure}
              {columns[stage].beside && (
                <Box component="span" sx={{ fontSize: "0.8125rem", color: QUIET }}>
                  {" "}
                  {columns[stage].beside}
                </Box>
              )}
            </Box>
            {!columns[stage].rows && <Note {...columns[stage]} stage={stage} />}
          </ButtonBase>
          {columns[stage].rows && (
            <ButtonBase
              onClick={() =>
                stage === "place" ? set({ rows: "outside" }) : set({ rows: "set aside", reason: null })
              }
              sx={{
                px: 2,
                pb: 0.75,
                mt: -0.5,
                fontSize: "inherit",
                textDecoration: "underline",
                textUnderlineOffset: 3,
                textDecorationColor: RULE,
              }}
            >
              <Note {...columns[stage]} stage={stage} />
            </ButtonBase>
          )}
          {sheet === stage && (
            <Box sx={{ position: "absolute", left: 0, right: 0, bottom: -3, height: 3, bgcolor: INK }} />
          )}
        </Box>
      ))}
    </Box>
  );
}

function Note({ note, term, warns, stage }: Column & { stage: Stage }) {
  return (
    <Box
      data-note={stage}
      title={term ? `${note} (${term})` : note}
      sx={{
        color: warns ? MADDER : QUIET,
        fontSize: "0.8125rem",
        whiteSpace: "nowrap",
        overflow: "hidden",
        textOverflow: "ellipsis",
      }}
    >
      <WithTerm says={note} term={term} />
    </Box>
  );
}
