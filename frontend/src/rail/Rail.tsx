/** The break rail: distribution and legend in one, a page of the ledger. The highest stands on top. */

import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { type ReactNode, useMemo } from "react";
import type { Areas } from "../api/bulk";
import type { Study, View } from "../api/client";
import { plural, whole } from "../format";
import { ZERO_CLASS } from "../outcome/classes";
import { termOf } from "../outcome/terms";
import { Unanswered } from "../parts/Answer";
import { Link } from "../parts/parts";
import { wordEntry, ZERO_ENTRY } from "../plan/bands";
import { mappedClasses } from "../plan/mapped";
import { useParts } from "../state/store";
import { useUnseen } from "../state/unseen";
import { useRailWidth, useSmall } from "../state/window";
import { BEYOND, HATCH, HEADING, INK, PAPER, QUIET, RULE } from "../theme";
import { unit } from "../unit";
import { Distribution } from "./Distribution";
import { COLUMNS, DOTS_WIDTH, LISTED, ROW, shownClasses, useAxis, useOnAxis } from "./parts";
import { Swatch } from "./Swatch";

interface Props {
  view: View;
  areas: Areas;
}

/** In a small window, where it does not have the height of the map. */
const SMALL_HEIGHT = 460;

export function Rail({ study, view, areas }: Props & { study: Study }) {
  const apart = mappedClasses(view.plan).zero === "apart";
  const unreliable = useMemo(() => areas.unreliable.reduce((n, flag) => n + (flag ? 1 : 0), 0), [areas]);
  const { unclassed, set } = useParts("unclassed", "set");
  const unseen = useUnseen(view);
  const width = useRailWidth();
  const small = useSmall();
  const inWords = view.ledger.words.length > 0;
  /** Is there anything to class by its value? */
  const some = !inWords && view.bands.length > 0;
  const withEvents = termOf(view, "counted")?.noun === "events";
  return (
    <Box
      component="aside"
      aria-label="Break rail"
      sx={{
        width,
        flexShrink: 0,
        display: "flex",
        flexDirection: "column",
        // Where the rows leave it less than it needs it is scrolled.
        overflowY: "auto",
        "& > *": { flexShrink: 0 },
        ...(small
          ? { height: SMALL_HEIGHT * unit, borderTop: `1px solid ${INK}` }
          : { borderRight: `1px solid ${INK}` }),
        bgcolor: PAPER,
      }}
    >
      <Box sx={{ px: 1.5, pt: 1.25, pb: 0.75 }}>
        <Unanswered />
        <Box sx={{ fontFamily: HEADING, fontSize: "1.05rem", lineHeight: 1.2 }}>
          {view.plan.show.title || "Areas"}
        </Box>
        <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>{view.value_name}</Box>
        {apart && some && view.zero > 0 && (
          <Box sx={{ color: QUIET, fontSize: "0.75rem" }}>
            classes of the{" "}
            {plural(
              view.bands.reduce((n, band) => n + band.areas, 0),
              "area",
            )}{" "}
            {withEvents ? "with events" : "that are not zero"}
          </Box>
        )}
        {unclassed && view.unclassed.length > 0 && (
          <Link onClick={() => set({ unclassed: false })}>unclassed, for a look: back to the classes</Link>
        )}
        {unseen.length > 0 && (
          <Link onClick={() => set({ unseen: null })}>
            {plural(unseen.length, "class", "classes")} not shown: show all
          </Link>
        )}
        {some && <Axes areas={areas} apart={apart} />}
      </Box>
      {inWords ? (
        <Kinds study={study} view={view} areas={areas} />
      ) : !some ? (
        <Box sx={{ flex: 1, px: 1.5, py: 1, borderTop: `3px double ${INK}`, fontSize: "0.8125rem" }}>
          {view.zero > 0 ? "No area has more or less than zero" : "No area has a value"}: there is nothing to
          class. <Link onClick={() => set({ sheet: "measure" })}>see how it is measured</Link>
        </Box>
      ) : (
        <Distribution study={study} view={view} areas={areas} apart={apart} />
      )}
      <Box sx={{ borderTop: `3px double ${INK}`, fontSize: "0.7812rem", py: 0.5 }}>
        {apart && !inWords && (
          <Apart label={view.zero_band.text} areas={view.zero}>
            <Swatch
              study={study}
              view={view}
              entry={ZERO_ENTRY}
              own={ZERO_CLASS}
              all={shownClasses(view)}
              colour={view.zero_band.colour}
              range={withEvents ? "no events" : "zero"}
            />
          </Apart>
        )}
        {view.beyond > 0 && <Apart colour={BEYOND} label="outside the classes" areas={view.beyond} />}
        {view.states.map((s) => (
          <Apart key={s.state} label={s.state} areas={s.areas} listed={inWords} />
        ))}
        {unreliable > 0 && <Apart label="unreliable, dotted" areas={unreliable} dotted listed={inWords} />}
      </Box>
    </Box>
  );
}

function Axes({ areas, apart }: { areas: Areas; apart: boolean }) {
  const { set } = useParts("set");
  const { axes, axis } = useAxis(useOnAxis(areas, apart).values);
  return (
    <Box sx={{ display: "flex", gap: 1.5, mt: 0.5, fontSize: "0.8125rem" }} role="group" aria-label="Axis">
      {axes.map((a) => (
        <ButtonBase
          key={a}
          aria-pressed={a === axis}
          onClick={() => set({ axis: a })}
          sx={{
            font: "inherit",
            fontSize: "inherit",
            borderBottom: a === axis ? `2px solid ${INK}` : "2px solid transparent",
            color: a === axis ? INK : QUIET,
          }}
        >
          {a}
        </ButtonBase>
      ))}
    </Box>
  );
}

/** Kinds, of which none is more than another: a list. */
function Kinds({ study, view, areas }: Props & { study: Study }) {
  const { hovered, selected } = useParts("hovered", "selected");
  const at = hovered ?? selected;
  const marked = at === null || at >= areas.value.length ? null : areas.own[at];
  // Kinds hold what is counted, classes without breaks what that is divided by.
  const inKinds = areas.words.length > 0;
  const listed = [...view.bands.entries()];
  if (!inKinds) listed.reverse();
  const held = termOf(view, inKinds ? "counted" : "under");
  const grid = {
    display: "grid",
    gridTemplateColumns: LISTED,
    columnGap: 0.75,
    alignItems: "baseline",
    px: 1.5,
  };
  return (
    <>
      <Box sx={{ ...grid, fontSize: "0.6875rem", color: QUIET, borderBottom: `3px double ${INK}` }}>
        <span />
        <span>{inKinds ? "kind" : "class"}</span>
        <Box sx={{ textAlign: "right" }}>areas</Box>
        <Box sx={{ textAlign: "right" }}>{held?.noun}</Box>
      </Box>
      <Box sx={{ flex: 1, minHeight: 80, overflowY: "auto", py: 0.5 }}>
        {listed.map(([i, band]) => (
          <Box
            key={band.range}
            data-band={i}
            sx={{ ...grid, py: 0.4, fontSize: "0.8125rem", fontWeight: i === marked ? 600 : undefined }}
          >
            <Swatch
              study={study}
              view={view}
              entry={wordEntry(band.range)}
              own={i}
              all={[...view.bands.keys()]}
              colour={band.colour}
              range={band.range}
              size={11}
            />
            <Box sx={{ overflowWrap: "anywhere" }}>{band.text}</Box>
            <Box sx={{ textAlign: "right" }}>{whole(band.areas)}</Box>
            <Box sx={{ textAlign: "right", color: QUIET }}>{held && whole(band.denominator)}</Box>
          </Box>
        ))}
      </Box>
    </>
  );
}

function Apart(props: {
  colour?: string;
  label: string;
  areas: number;
  dotted?: boolean;
  listed?: boolean;
  children?: ReactNode;
}) {
  const { colour, label, areas } = props;
  const hatch = `repeating-linear-gradient(135deg, ${PAPER} 0 3px, ${HATCH} 3px 4px)`;
  const dots = `radial-gradient(circle at 1.5px 1.5px, ${HATCH} 1px, ${PAPER} 1.2px) 0 0 / 4px 4px`;
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: props.listed ? LISTED : COLUMNS,
        columnGap: props.listed ? 0.75 : 0,
        alignItems: "center",
        ml: props.listed ? 1.5 : `${DOTS_WIDTH + 14}px`,
        mr: props.listed ? 1.5 : 0,
        whiteSpace: "nowrap",
        height: ROW,
      }}
    >
      {props.children ?? (
        <Box
          sx={{
            width: 9,
            height: 9,
            background: props.dotted ? dots : (colour ?? hatch),
            border: `0.5px solid ${INK}`,
            borderColor: colour ? INK : RULE,
          }}
        />
      )}
      <span>{label}</span>
      <Box sx={{ textAlign: "right" }}>{whole(areas)}</Box>
    </Box>
  );
}
