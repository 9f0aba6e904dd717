/** The sum as it is written on paper. Each term is a slot: it opens, one at a time, and its choices unfold under it. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { Fragment, type ReactNode } from "react";
import type { Areas } from "../../api/bulk";
import type { Schemas, View } from "../../api/client";
import { figure, levelText, whole } from "../../format";
import { figureOf, type Role, type TermLine, termFigure } from "../../outcome/terms";
import { STATE_WORDS, valueText } from "../../outcome/words";
import { Link, Quiet } from "../../parts/parts";
import type { Measure } from "../../plan/types";
import { useParts } from "../../state/store";
import { INK, MADDER, QUIET, RULE } from "../../theme";

export type Slot = Role | "per";

interface Props {
  view: View;
  areas: Areas | null;
  /** Values are words, which are neither divided nor multiplied. */
  inWords?: boolean;
  open: Slot | null;
  onOpen: (slot: Slot | null) => void;
  /** What unfolds under an open slot. */
  choices: (slot: Slot) => ReactNode;
  onMend: (measure: Measure) => void;
}

const OPERATOR: Record<Slot, string> = { counted: "", under: "÷", time: "÷", per: "×" };
const EMPTY: Record<"under" | "time", string> = { under: "divide by something", time: "divide by time" };
const COLUMNS = "1.2em minmax(5.2em, auto) 1fr";

export function Sum({ view, areas, inWords, open, onOpen, choices, onMend }: Props) {
  const { hovered, selected } = useParts("hovered", "selected");
  const at = hovered ?? selected;
  const area = areas && at !== null && at < areas.name.length ? at : null;
  const middle = area === null && view.total_value === null ? view.middle_area : null;
  const term = (role: Role) => view.terms.find((t) => t.role === role);
  const amount = (line: TermLine) =>
    termFigure(areas && area !== null ? figureOf(areas, line.role, area) : line.figure);
  const slot = (role: Role) => {
    const line = term(role);
    if (line)
      return (
        <Row
          key={role}
          slot={role}
          amount={amount(line)}
          says={line.says}
          rests={line.rests_on}
          open={open === role}
          onOpen={onOpen}
          choices={choices}
        >
          {line.doubts.map((doubt) => (
            <Box key={doubt.says} sx={{ color: MADDER, fontSize: "0.8125rem" }}>
              {doubt.says}{" "}
              {doubt.mend && (
                <Link onClick={() => onMend(doubt.mend!.measure as Measure)}>{doubt.mend.says}</Link>
              )}
            </Box>
          ))}
        </Row>
      );
    if (role === "counted" ? !inWords : !view.terms.length) return null;
    return (
      <Row
        key={role}
        slot={role}
        says={role === "counted" ? view.value_name : EMPTY[role]}
        rests={role === "counted" ? matched(view) : undefined}
        quiet={role !== "counted"}
        open={open === role}
        onOpen={onOpen}
        choices={choices}
      />
    );
  };
  return (
    <Box component="section" aria-label="The sum" sx={{ borderTop: `1px solid ${INK}`, pt: 0.5 }}>
      <Box
        data-testid="whose sum"
        sx={{
          color: QUIET,
          fontSize: "0.8125rem",
          overflow: "hidden",
          textOverflow: "ellipsis",
          whiteSpace: "nowrap",
        }}
      >
        {areas && area !== null ? areas.name[area] : "all areas"}
      </Box>
      {(inWords ? (["counted"] as const) : (["counted", "under", "time"] as const)).map(slot)}
      {!inWords && (
        <Row
          slot="per"
          amount={whole(view.per)}
          says={view.per === 1 ? "as it is" : ""}
          open={open === "per"}
          onOpen={onOpen}
          choices={choices}
        />
      )}
      <Box
        data-testid="result"
        sx={{
          display: "grid",
          gridTemplateColumns: COLUMNS,
          columnGap: 1,
          borderTop: `1px solid ${INK}`,
          borderBottom: `3px double ${INK}`,
          py: 0.5,
          alignItems: "baseline",
        }}
      >
        {view.made.slice(0, -1).map((step, at) => (
          <Fragment key={step.says}>
            <span>=</span>
            <Box sx={{ textAlign: "right" }}>
              {termFigure(areas && area !== null ? (areas.steps[at]?.[area] ?? null) : step.total)}
            </Box>
            <Box sx={{ color: QUIET }}>{step.says}</Box>
          </Fragment>
        ))}
        <span>{view.made.length ? "→" : "="}</span>
        <Box sx={{ textAlign: "right", fontSize: "1.15rem", fontWeight: 500 }}>
          {areas && area !== null
            ? Number.isNaN(areas.value[area])
              ? "–"
              : valueText(areas, area)
            : view.total_value === null || inWords
              ? view.total_word || (inWords ? "" : middle === null ? "–" : figure(middle))
              : view.whole
                ? whole(view.total_value)
                : figure(view.total_value)}
        </Box>
        <Box>
          {areas && area !== null && Number.isNaN(areas.value[area])
            ? STATE_WORDS[areas.state[area]]
            : view.value_name}
          {middle !== null && <Quiet>the middle area; all together have no such figure</Quiet>}
          <Interval view={view} areas={areas} area={area} />
        </Box>
      </Box>
    </Box>
  );
}

/** Of words from a table, how many areas have one. */
function matched(view: View): string | undefined {
  const account = (view.ledger.tables as Partial<Record<string, Schemas["TableAccount"]>>).counted;
  return account && `${whole(account.areas - account.without_row)} of ${whole(account.areas)} areas matched`;
}

/** "119 to 122": what chance may have made of the figure. */
function Interval({ view, areas, area }: { view: View; areas: Areas | null; area: number | null }) {
  const ends =
    areas && area !== null ? ([areas.low[area], areas.high[area]] as const) : (view.total_interval ?? null);
  if (!ends || ends.some(Number.isNaN)) return null;
  return (
    <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>
      {figure(ends[0])} to {Number.isFinite(ends[1]) ? figure(ends[1]) : "without end"}, by chance alone (
      {levelText(view.level)})
    </Box>
  );
}

function Row(props: {
  slot: Slot;
  amount?: string;
  says: string;
  rests?: string;
  quiet?: boolean;
  open: boolean;
  onOpen: (slot: Slot | null) => void;
  choices: (slot: Slot) => ReactNode;
  children?: ReactNode;
}) {
  const { slot, open } = props;
  return (
    <Box sx={{ borderTop: `1px solid ${RULE}`, bgcolor: open ? "#EFE9DB" : undefined, mx: -1, px: 1 }}>
      <ButtonBase
        data-slot={slot}
        aria-expanded={open}
        aria-label={`${OPERATOR[slot]} ${props.amount ?? ""} ${props.says}`.trim()}
        onClick={() => props.onOpen(open ? null : slot)}
        sx={{
          display: "grid",
          gridTemplateColumns: COLUMNS,
          columnGap: 1,
          width: "100%",
          font: "inherit",
          textAlign: "left",
          alignItems: "baseline",
          py: 0.5,
          color: props.quiet ? QUIET : INK,
          "&:hover": { bgcolor: "#EFE9DB" },
        }}
      >
        <span>{OPERATOR[slot]}</span>
        <Box sx={{ textAlign: "right" }} data-amount={slot}>
          {props.amount}
        </Box>
        <Box sx={{ overflowWrap: "anywhere" }}>
          <Box component="span" sx={{ borderBottom: `1px dotted ${QUIET}` }}>
            {props.says}
          </Box>
          {props.rests && <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>{props.rests}</Box>}
        </Box>
      </ButtonBase>
      {props.children && <Box sx={{ pl: "calc(6.4em + 16px)", pb: 0.5 }}>{props.children}</Box>}
      {open && (
        <Box
          role="group"
          aria-label={`Choices for ${props.says || "the multiplier"}`}
          sx={{ pl: 2.5, pb: 1.5 }}
        >
          {props.choices(slot)}
        </Box>
      )}
    </Box>
  );
}
