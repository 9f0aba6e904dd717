/** The same figures classed in other ways, as small maps beside each other: the way of classing makes the story. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { type ReactNode, useMemo, useRef, useState } from "react";
import type { Areas, Shapes } from "../../api/bulk";
import type { Schemas, Study, View } from "../../api/client";
import { percent, plural, whole } from "../../format";
import { useSize } from "../../map/gestures";
import { coloured } from "../../map/look";
import { SmallPicture } from "../../map/SmallPicture";
import { smallMapsOf, useSmallMaps } from "../../map/small";
import { classOf } from "../../outcome/classes";
import { leaving, nearTies } from "../../outcome/ruling";
import { dividedBy } from "../../outcome/terms";
import { Unanswered } from "../../parts/Answer";
import { useFocusHere } from "../../parts/focus";
import { Quiet, WithTerm } from "../../parts/parts";
import { mappedClasses, mappedName } from "../../plan/mapped";
import { COMPARED, type Said, saidOf } from "../../plan/methods";
import type { Classing } from "../../plan/types";
import { nearStep, useOnAxis } from "../../rail/parts";
import { type SmallAxis, SmallRail, useSmallAxis } from "../../rail/SmallRail";
import { useAnswer } from "../../state/asked";
import { useComparedWays, useSavePlan } from "../../state/queries";
import { useParts } from "../../state/store";
import { INK, PAPER, QUIET, RULE } from "../../theme";
import { unit } from "../../unit";

const COUNTS = [2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12];
const FIRST_WAYS = COMPARED.slice(0, 4).map((w) => w.key);
const LEAST_WIDTH = 170;
const RAIL = 30;
const MARGIN = 6;
/** What the words of a card and the gap below it take of its height. */
const WORDS = 54;
const NO_DOTS = new Uint8Array(0);
/** From so many areas on, the figures of a card take two lines. */
const MANY = 1_000;

interface Props {
  study: Study;
  view: View;
  areas: Areas;
  shapes: Shapes;
}

export function Compare({ study, view, areas, shapes }: Props) {
  const { set } = useParts("set");
  const here = useRef<HTMLElement>(null);
  useFocusHere(here);
  const now = mappedClasses(view.plan);
  const [ways, setWays] = useState<readonly string[]>(FIRST_WAYS);
  const [counts, setCounts] = useState<readonly number[]>(() => countsAbout(view.bands.length));
  const people = dividedBy(view);
  const grid = useMemo(() => {
    const columns = COMPARED.filter((w) => ways.includes(w.key));
    return COUNTS.filter((n) => counts.includes(n)).flatMap((count) =>
      columns.map(({ key, make }) => {
        const way = make(now, count);
        return { key, said: saidOf(way, people), count, way };
      }),
    );
  }, [ways, counts, now, people]);
  const compared = useComparedWays(
    view,
    grid.map((g) => g.way),
  );
  const save = useSavePlan(study, view);
  const choose = (way: Classing) =>
    save.mutate((plan) => {
      plan.class[mappedName(plan)] = way;
    });
  // What was asked for before is of other figures, or of other ways.
  const known = useAnswer(compared);
  const found = known && compared.answered ? known.ways : null;
  return (
    <Box
      component="section"
      ref={here}
      tabIndex={-1}
      aria-label="Other ways of classing"
      sx={{
        position: "absolute",
        inset: 0,
        zIndex: 2,
        bgcolor: PAPER,
        display: "flex",
        flexDirection: "column",
        px: 2,
        py: 1.25,
        gap: 0.75,
      }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 2 }}>
        <Typography variant="h2">The same figures, otherwise classed</Typography>
        <Box role="status" sx={{ flexGrow: 1, color: QUIET, fontSize: "0.8125rem" }}>
          {save.isPending || (!found && compared.failed === null)
            ? "Working it out…"
            : "Click a map to class by it."}
        </Box>
        <Button size="small" onClick={() => set({ comparing: false })}>
          Back to the map
        </Button>
      </Box>
      <Toggles
        label="Ways"
        all={COMPARED.map((w) => w.key)}
        on={ways}
        onChange={setWays}
        text={(key) => <WithTerm {...saidOf(COMPARED.find((w) => w.key === key)!.make(now, 5), people)} />}
      />
      <Toggles label="Classes" all={COUNTS} on={counts} onChange={setCounts} text={String} />
      <Unanswered />
      <Pictures
        view={view}
        areas={areas}
        shapes={shapes}
        grid={grid}
        found={found}
        across={ways.length}
        choose={choose}
      />
    </Box>
  );
}

/** The present number, and one less and one more. */
function countsAbout(made: number): number[] {
  const middle = Math.min(Math.max(made, 3), 11);
  return [middle - 1, middle, middle + 1];
}

/** Several of them at once, at least one. */
function Toggles<T extends string | number>(props: {
  label: string;
  all: readonly T[];
  on: readonly T[];
  onChange: (on: readonly T[]) => void;
  text: (one: T) => ReactNode;
}) {
  const { on, onChange } = props;
  return (
    <Box
      role="group"
      aria-label={props.label}
      sx={{ display: "flex", flexWrap: "wrap", columnGap: 1.5, fontSize: "0.8125rem" }}
    >
      <Box sx={{ color: QUIET, minWidth: 52 }}>{props.label}</Box>
      {props.all.map((one) => {
        const pressed = on.includes(one);
        return (
          <ButtonBase
            key={one}
            aria-pressed={pressed}
            disabled={pressed && on.length === 1}
            onClick={() => onChange(pressed ? on.filter((o) => o !== one) : [...on, one])}
            sx={{
              font: "inherit",
              color: pressed ? INK : QUIET,
              borderBottom: `2px solid ${pressed ? INK : "transparent"}`,
            }}
          >
            {props.text(one)}
          </ButtonBase>
        );
      })}
    </Box>
  );
}

interface Candidate {
  key: string;
  said: Said;
  count: number;
  way: Classing;
}

function Pictures(
  props: Omit<Props, "study"> & {
    grid: readonly Candidate[];
    found: readonly Schemas["WayView"][] | null;
    across: number;
    choose: (way: Classing) => void;
  },
) {
  const { view, areas, shapes, grid, found, across } = props;
  const ref = useRef<HTMLDivElement>(null);
  const size = useSize(ref);
  const down = grid.length / across;
  const apart = mappedClasses(view.plan).zero === "apart";
  const sorted = useOnAxis(areas, apart);
  const step = nearStep(view);
  const words = sorted.values.length < MANY ? WORDS : WORDS + 16;
  const frame = useMemo(() => {
    if (!size) return null;
    const room = (size.width - (across - 1) * 10 * unit) / across;
    const wide = Math.max(room, LEAST_WIDTH * unit);
    const tall = Math.min(Math.max((size.height - down * words * unit) / down, 96 * unit), wide);
    return { width: Math.floor(wide - RAIL * unit - MARGIN), height: Math.floor(tall) };
  }, [size, across, down, words]);
  const maps = useMemo(() => {
    if (!found || !frame) return null;
    const looks = found.map((one) => ({
      ...coloured(view, areas, (a) => classOf(areas.value[a], one.breaks, apart), one.colours),
      // A screen of dots would hide what is as small as here.
      doubtful: NO_DOTS,
    }));
    return smallMapsOf(view, areas, shapes, frame, looks);
  }, [found, frame, shapes, areas, view, apart]);
  const axis = useSmallAxis(sorted.values, RAIL * unit, frame?.height ?? 100);
  const pictures = useSmallMaps(shapes, maps);
  const figures = useMemo(
    () =>
      found?.map((one) => ({
        near: nearTies(sorted, areas.numerator, one.breaks, step).length,
        leaving: leaving(sorted.values, view.ledger.breaks, one.breaks),
      })),
    [found, sorted, areas, step, view],
  );
  return (
    <Box
      ref={ref}
      data-drawn={pictures.length}
      tabIndex={0}
      role="group"
      aria-label="Small maps"
      sx={{
        flex: 1,
        minHeight: 0,
        overflow: "auto",
        outlineOffset: -3,
        display: "grid",
        gridTemplateColumns: `repeat(${across}, minmax(${LEAST_WIDTH * unit}px, 1fr))`,
        gap: 1.25,
        alignContent: "start",
        alignItems: "start",
      }}
    >
      {found &&
        frame &&
        grid.map((candidate, i) => (
          <Card
            key={`${candidate.key} ${candidate.count}`}
            candidate={candidate}
            found={found[i]}
            figures={figures![i]}
            picture={pictures[i]}
            frame={frame}
            axis={axis}
            isNow={same(found[i].breaks, view.ledger.breaks)}
            choose={() => props.choose(candidate.way)}
          />
        ))}
    </Box>
  );
}

function same(a: readonly number[], b: readonly number[]): boolean {
  return a.length > 0 && a.length === b.length && a.every((x, i) => x === b[i]);
}

function Card(props: {
  candidate: Candidate;
  found: Schemas["WayView"];
  figures: { near: number; leaving: number };
  picture: ImageData | undefined;
  frame: { width: number; height: number };
  axis: SmallAxis;
  isNow: boolean;
  choose: () => void;
}) {
  const { candidate, found, figures, picture, frame, isNow } = props;
  const made = found.breaks.length - 1;
  const title = `${candidate.said.says}, ${plural(Math.max(made, 0), "class", "classes")}`;
  return (
    <ButtonBase
      data-way={`${candidate.key} ${candidate.count}`}
      aria-label={title}
      aria-pressed={isNow}
      disabled={found.refusal !== ""}
      onClick={props.choose}
      sx={{
        display: "block",
        font: "inherit",
        textAlign: "left",
        verticalAlign: "top",
        border: `1px solid ${isNow ? INK : RULE}`,
        outline: isNow ? `1px solid ${INK}` : "none",
        "&:hover": { borderColor: INK },
        "&:focus-visible": { outline: `3px solid ${INK}` },
      }}
    >
      <Box sx={{ px: 0.75, fontSize: "0.75rem", display: "flex", gap: 1 }}>
        <Box
          title={`${candidate.said.says} (${candidate.said.term})`}
          sx={{
            fontWeight: isNow ? 600 : 500,
            overflow: "hidden",
            textOverflow: "ellipsis",
            whiteSpace: "nowrap",
          }}
        >
          {candidate.said.says}
        </Box>
        <Box sx={{ flexGrow: 1, textAlign: "right", color: QUIET, whiteSpace: "nowrap" }}>
          {isNow ? "as it is now" : made > 0 && plural(made, "class", "classes")}
        </Box>
      </Box>
      {found.refusal ? (
        <Box sx={{ px: 0.75, pb: 1, height: frame.height + 17 * unit, overflow: "hidden" }}>
          <Quiet>{found.refusal}</Quiet>
        </Box>
      ) : (
        <>
          <Box sx={{ display: "flex" }}>
            <SmallRail on={props.axis} breaks={found.breaks} colours={found.colours} />
            <SmallPicture picture={picture} {...frame} />
          </Box>
          <Box
            sx={{
              px: 0.75,
              fontSize: "0.6875rem",
              display: "flex",
              justifyContent: "space-between",
              flexWrap: "wrap",
              columnGap: 0.75,
              whiteSpace: "nowrap",
            }}
          >
            <span title="How much of the variation between areas the classes take up">
              fit {percent(found.fit)}
            </span>
            <span title="How evenly the classes share the areas: 100 % where each has the same number">
              even {percent(found.evenness.areas)}
            </span>
            <span title="Areas so close to a break that rounding or one more event would move them">
              {whole(figures.near)} near
            </span>
            <span title="Areas that leave the class that they are in now">
              {whole(figures.leaving)} change
            </span>
          </Box>
        </>
      )}
    </ButtonBase>
  );
}
