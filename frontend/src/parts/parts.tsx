/** What every sheet is made of. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import Typography from "@mui/material/Typography";
import { type ReactNode, type SyntheticEvent, useState } from "react";
import type { View } from "../api/client";
import { whole } from "../format";
import { INK, MADDER, QUIET, RULE } from "../theme";

export function Question({ children }: { children: ReactNode }) {
  return (
    <Typography variant="h2" sx={{ mb: 1 }}>
      {children}
    </Typography>
  );
}

export function Quiet({ children, colour = QUIET }: { children: ReactNode; colour?: string }) {
  return <Typography sx={{ color: colour, mt: 1, fontSize: "0.8125rem" }}>{children}</Typography>;
}

/** What must be known beside a stage's figures; what needs a decision first, in madder. */
export function Notes({ view, stage, apart }: { view: View; stage: string; apart?: boolean }) {
  // Those that stand beside a term of the sum already are not said twice.
  const said = new Set(
    apart ? [...view.terms.flatMap((t) => t.doubts.map((d) => d.says)), ...view.released] : [],
  );
  const notes = view.notes.filter((note) => note.stage === stage && !said.has(note.says));
  return [...notes.filter((n) => n.warns), ...notes.filter((n) => !n.warns)].map((note) => (
    <Quiet key={note.says} colour={note.warns ? MADDER : QUIET}>
      {note.says}
    </Quiet>
  ));
}

/** Words that do something, within a sentence or a list. */
export function Link({ onClick, children }: { onClick: () => void; children: ReactNode }) {
  return (
    <ButtonBase
      onClick={onClick}
      sx={{
        font: "inherit",
        fontSize: "0.8125rem",
        textAlign: "left",
        textDecoration: "underline",
        textUnderlineOffset: 3,
      }}
    >
      {children}
    </ButtonBase>
  );
}

/** The parts of a sheet, one open at a time. */
export function Tabs<T extends string>(props: { tabs: readonly T[]; open: T; onOpen: (tab: T) => void }) {
  return (
    <Box
      sx={{ display: "flex", flexWrap: "wrap", columnGap: 1.75, rowGap: 0.5, mb: 1.5 }}
      role="group"
      aria-label="Part of the sheet"
    >
      {props.tabs.map((tab) => (
        <ButtonBase
          key={tab}
          aria-pressed={tab === props.open}
          onClick={() => props.onOpen(tab)}
          sx={{
            font: "inherit",
            whiteSpace: "nowrap",
            borderBottom: tab === props.open ? `2px solid ${INK}` : "2px solid transparent",
          }}
        >
          {tab}
        </ButtonBase>
      ))}
    </Box>
  );
}

/** Texts to tick, each with how many have it. */
export function Ticks(props: {
  values: Readonly<Record<string, number | "">>;
  ticked: ReadonlySet<string>;
  onToggle: (value: string) => void;
}) {
  return (
    <Box sx={{ maxHeight: 180, overflowY: "auto" }}>
      {Object.entries(props.values).map(([value, n]) => (
        <Box key={value} component="label" sx={{ display: "flex", alignItems: "center", cursor: "pointer" }}>
          <Checkbox
            size="small"
            sx={{ p: 0.25, mr: 0.5 }}
            checked={props.ticked.has(value)}
            onChange={() => props.onToggle(value)}
          />
          <Box
            component="span"
            sx={{ flex: 1, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
          >
            {value || "blank"}
          </Box>
          <span>{n === "" ? "" : whole(n)}</span>
        </Box>
      ))}
    </Box>
  );
}

/** The head of a part of a sheet. */
export function Head({ children }: { children: ReactNode }) {
  return <Box sx={{ mt: 2, borderBottom: `1px solid ${INK}`, fontWeight: 500 }}>{children}</Box>;
}

/** An entry: words on the left, a count on the right. */
export function Line({ count, children }: { count: number | string; children: ReactNode }) {
  return (
    <Box sx={{ display: "flex", justifyContent: "space-between", gap: 2 }}>
      <span>{children}</span>
      <span style={{ whiteSpace: "nowrap" }}>{typeof count === "number" ? whole(count) : count}</span>
    </Box>
  );
}

/** One of several choices, in a group of them. */
/** Plain words, and beside them in small grey the textbook's for the same. */
export function WithTerm({ says, term }: { says: string; term?: string }) {
  if (!term) return says;
  return (
    <span>
      {says}{" "}
      <Box component="small" sx={{ color: QUIET, fontSize: "0.8em" }}>
        {term}
      </Box>
    </span>
  );
}

export function Choice(props: {
  value: string;
  label: string;
  /** The textbook's word for it. */
  term?: string;
  /** What it looks like, from the least to the greatest. */
  colours?: readonly string[];
  onChoose: () => void;
  disabled?: boolean;
}) {
  return (
    <FormControlLabel
      value={props.value}
      label={
        <Box component="span" sx={{ display: "inline-flex", alignItems: "center", gap: 1 }}>
          {props.colours && (
            <Box component="span" aria-hidden sx={{ display: "inline-flex", border: `1px solid ${RULE}` }}>
              {props.colours.map((colour) => (
                <Box component="span" key={colour} sx={{ width: 14, height: 12, bgcolor: colour }} />
              ))}
            </Box>
          )}
          <span>
            <WithTerm says={props.label} term={props.term} />
          </span>
        </Box>
      }
      disabled={props.disabled}
      control={<Radio size="small" sx={{ py: 0.5 }} onChange={props.onChoose} />}
    />
  );
}

/** What is seldom needed, behind its title. */
export function Unfold({ title, open, children }: { title: string; open?: boolean; children: ReactNode }) {
  // What nobody has unfolded yet asks the server for nothing.
  const [opened, setOpened] = useState(Boolean(open));
  return (
    <Box
      component="details"
      open={open}
      onToggle={(event: SyntheticEvent<HTMLDetailsElement>) => event.currentTarget.open && setOpened(true)}
      sx={{ mt: 2, borderTop: `1px solid ${RULE}`, pt: 1 }}
    >
      <Box component="summary" sx={{ cursor: "pointer", fontWeight: 500 }}>
        {title}
      </Box>
      {(opened || open) && children}
    </Box>
  );
}
