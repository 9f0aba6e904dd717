/** Under the rail: what a moved break does, why a figure was refused, and what else can be done with the breaks. */
import Box from "@mui/material/Box";
import type { Areas } from "../api/bulk";
import type { View } from "../api/client";
import { plural, whole } from "../format";
import { dividedBy } from "../outcome/terms";
import { Link, WithTerm } from "../parts/parts";
import { saidOf } from "../plan/methods";
import { INK, MADDER, QUIET, RULE } from "../theme";
import { nearStep } from "./parts";
import { short, type useRuling } from "./useRuling";

const NAMED = 3;

export function RulingStrip(props: {
  view: View;
  areas: Areas;
  ruling: ReturnType<typeof useRuling>;
  /** Areas near a break. */
  near: readonly number[];
  locked: boolean;
  refused: string;
  putAway: () => void;
  /** Simpler figures are looked at, which would move areas. */
  trying: boolean;
  setTrying: (trying: boolean) => void;
}) {
  const { view, areas, ruling, near, locked, refused, trying, setTrying } = props;
  return (
    <Box
      data-testid="ruling"
      aria-live="polite"
      sx={{
        borderTop: `1px solid ${RULE}`,
        px: 1.5,
        py: 0.5,
        height: "3.6em",
        alignContent: "flex-start",
        overflow: "hidden",
        fontSize: "0.75rem",
        display: "flex",
        flexWrap: "wrap",
        columnGap: 1.5,
        color: INK,
      }}
    >
      {refused ? (
        <Box role="alert" sx={{ color: MADDER }}>
          {refused} <Link onClick={() => props.putAway()}>put away</Link>
        </Box>
      ) : ruling.moving ? (
        <>
          <span>{changesText(ruling.changing, areas)}</span>
          {trying && (
            <>
              <Link onClick={() => ruling.keep(ruling.inner)}>keep</Link>
              <Link onClick={ruling.leave}>leave it</Link>
            </>
          )}
        </>
      ) : trying ? (
        <>
          {ruling.coarser.map((c) => (
            <Link key={c.step} onClick={() => ruling.show(c.inner)}>
              in steps of {short(c.step / view.scale)} ({plural(c.changing.length, "area")})
            </Link>
          ))}
          <Link onClick={() => setTrying(false)}>leave it</Link>
        </>
      ) : (
        <>
          {locked && <span>The classes are locked.</span>}
          {ruling.simpler && !locked && (
            <Link onClick={() => ruling.keep(ruling.simpler!)}>simplest figures</Link>
          )}
          {!locked && ruling.coarser.length > 0 && (
            <Link onClick={() => setTrying(true)}>
              {ruling.simpler ? "simpler still" : "simpler figures"}
            </Link>
          )}
          {ruling.undo && <Link onClick={ruling.undo}>take the last step back</Link>}
          {ruling.method && (
            <Link onClick={() => ruling.backTo(ruling.method!)}>
              back to <WithTerm {...saidOf(ruling.method, dividedBy(view))} />
            </Link>
          )}
          <Box sx={{ color: QUIET }}>{nearText(near, nearStep(view) === "event", locked)}</Box>
        </>
      )}
    </Box>
  );
}

/** "3 areas change class: Tarnholt, Wenwyke, Garrwyke". */
function changesText(changing: readonly number[], areas: Areas): string {
  if (!changing.length) return "No area changes class.";
  const names = changing.slice(0, NAMED).map((i) => areas.name[i]);
  const more = changing.length > NAMED ? ` and ${whole(changing.length - NAMED)} more` : "";
  const verb = changing.length === 1 ? "changes" : "change";
  return `${plural(changing.length, "area")} ${verb} class: ${names.join(", ")}${more}`;
}

/** "5 areas lie within one event of a break." */
function nearText(near: readonly number[], counted: boolean, locked: boolean): string {
  if (!near.length) return locked ? "" : "Take hold of a line to move it.";
  const of = counted ? "one event" : "the last figure";
  return `${plural(near.length, "area")} ${near.length === 1 ? "lies" : "lie"} within ${of} of a break (ticks).`;
}
