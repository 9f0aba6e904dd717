/** How the rows of a table find their areas: what was found by which step, what is left on both sides, pairing by hand. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import type { Areas } from "../../api/bulk";
import type { Schemas, View } from "../../api/client";
import { plural, whole } from "../../format";
import { type Role, termFigure } from "../../outcome/terms";
import { Pick } from "../../parts/Fields";
import { Link, Quiet, Unfold } from "../../parts/parts";
import { acceptedAbove, STEPS, type Step, suggestionsOf } from "../../plan/pairing";
import type { FromTable, OfText } from "../../plan/types";
import { useDoing } from "../../state/store";
import { MADDER, QUIET, RULE } from "../../theme";

interface Props<T> {
  view: View;
  areas: Areas | null;
  term: Role;
  now: T;
  onChange: (term: T) => void;
}

const LINES = [95, 90, 85, 80, 75, 70];
const SHOWN = 30;

export function Pairing<T extends FromTable | OfText>({ view, areas, term, now, onChange }: Props<T>) {
  const noun = "noun" in now ? now.noun : "rows";
  const zones = "shared" in now && now.shared !== null;
  const account = (view.ledger.tables as Partial<Record<Role, Schemas["TableAccount"]>>)[term];
  const [line, setLine] = useState(90);
  const opened = useRef(false); // what opened for a suggestion stays open when the last one is accepted
  const [picking, setPicking] = useState<string | null>(null);
  const selected = useDoing((d) => d.selected);
  if (!account || !areas) return null;
  const nameOf = new Map(areas.identifier.map((identifier, i) => [identifier, areas.name[i]] as const));
  const suggested = suggestionsOf(account.suggestions as Record<string, [string, number][]>);
  if (suggested.length) opened.current = true;
  const above = acceptedAbove(suggested, line);
  const accept = (pairs: Record<string, string>) =>
    onChange({ ...now, accepted: { ...now.accepted, ...pairs } });
  const undo = (spelling: string) => {
    const { [spelling]: _, ...others } = now.accepted;
    onChange({ ...now, accepted: others });
  };
  const left = Object.entries(account.left_over as Record<string, number>);
  const sums = account.left_over_sums as Record<string, number>;
  const steps = STEPS.filter(([step]) => account.joined[step as Step]);
  const lost = account.in_left_over;
  return (
    <Unfold
      title={`How rows find their ${zones ? "zones" : "areas"}: ${whole(account.areas - account.without_row)} of ${whole(account.areas)}`}
      open={opened.current}
    >
      <Box sx={{ fontSize: "0.8125rem" }}>
        {steps.map(([step, says]) => (
          <Box key={step} sx={{ display: "flex", justifyContent: "space-between" }}>
            <span>{says}</span>
            <span>{whole(account.joined[step as Step])}</span>
          </Box>
        ))}
        <Box sx={{ display: "flex", justifyContent: "space-between", borderTop: `1px solid ${RULE}` }}>
          <span>{noun} joined to an area</span>
          <span>{termFigure(account.in_areas)}</span>
        </Box>
        <Box sx={{ display: "flex", justifyContent: "space-between", color: lost ? MADDER : QUIET }}>
          <span>in rows that match no area</span>
          <span>{termFigure(lost)}</span>
        </Box>
      </Box>
      {suggested.length > 0 && (
        <Box sx={{ mt: 1 }}>
          {suggested.map(({ spelling, area, like }) => (
            <Box
              key={spelling}
              sx={{
                display: "flex",
                gap: 1,
                alignItems: "baseline",
                borderTop: `1px solid ${RULE}`,
                py: 0.25,
              }}
            >
              <Box sx={{ flex: 1, overflowWrap: "anywhere" }}>
                “{spelling}” is {nameOf.get(area) ?? area}?
              </Box>
              <Box sx={{ color: QUIET, fontSize: "0.8125rem", whiteSpace: "nowrap" }}>
                {Math.round(like)} % alike
              </Box>
              <Link onClick={() => accept({ [spelling]: area })}>yes</Link>
              <Link onClick={() => setPicking(spelling)}>another</Link>
            </Box>
          ))}
          <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <Pick
              label="Accept all that are alike by at least"
              value={String(line)}
              options={LINES.map((l) => [String(l), `${l} %`] as const)}
              onChange={(l) => setLine(Number(l))}
            />
            <Button
              size="small"
              variant="outlined"
              disabled={!Object.keys(above).length}
              onClick={() => accept(above)}
              sx={{ whiteSpace: "nowrap", flexShrink: 0 }}
            >
              Accept {whole(Object.keys(above).length)}
            </Button>
          </Box>
        </Box>
      )}
      {account.spellings > suggested.length && (
        <Unfold
          title={`${plural(account.spellings - suggested.length, "spelling")} like no area that is left`}
        >
          {left
            .filter(([spelling]) => !suggested.some((s) => s.spelling === spelling))
            .slice(0, SHOWN)
            .map(([spelling, rows]) => (
              <Box key={spelling} sx={{ display: "flex", gap: 1, fontSize: "0.8125rem" }}>
                <Box sx={{ flex: 1, overflowWrap: "anywhere" }}>“{spelling || "blank"}”</Box>
                <span>
                  {plural(rows, "row")}, {termFigure(sums[spelling] ?? 0)} {noun}
                </span>
                <Link onClick={() => setPicking(spelling)}>pair</Link>
              </Box>
            ))}
        </Unfold>
      )}
      {picking !== null && (
        <ByHand
          spelling={picking}
          areas={areas}
          without={account.areas_without_row}
          selected={selected}
          onPair={(area) => {
            accept({ [picking]: area });
            setPicking(null);
          }}
          onLeave={() => setPicking(null)}
        />
      )}
      {account.without_row > 0 && (
        <Quiet>
          Without a row:{" "}
          {account.areas_without_row
            .slice(0, SHOWN)
            .map((i) => nameOf.get(i) ?? i)
            .join(", ")}
          {account.without_row > SHOWN && ` and ${whole(account.without_row - SHOWN)} more`}
        </Quiet>
      )}
      {Object.keys(now.accepted).length > 0 && (
        <Unfold title={`${plural(Object.keys(now.accepted).length, "pair")} by your word`}>
          {Object.entries(now.accepted).map(([spelling, area]) => (
            <Box key={spelling} sx={{ display: "flex", gap: 1, fontSize: "0.8125rem" }}>
              <Box sx={{ flex: 1, overflowWrap: "anywhere" }}>
                “{spelling}” is {nameOf.get(area) ?? area}
              </Box>
              <Link onClick={() => undo(spelling)}>undo</Link>
            </Box>
          ))}
        </Unfold>
      )}
    </Unfold>
  );
}

/** One spelling and the area that it is: from the list, or by clicking it on the map. */
function ByHand(props: {
  spelling: string;
  areas: Areas;
  without: readonly string[];
  selected: number | null;
  onPair: (identifier: string) => void;
  onLeave: () => void;
}) {
  const { areas, selected, spelling } = props;
  const without = new Set(props.without);
  const order = areas.identifier
    .map((identifier, i) => [identifier, areas.name[i]] as const)
    .sort((a, b) => Number(without.has(b[0])) - Number(without.has(a[0])) || a[1].localeCompare(b[1]));
  return (
    <Box sx={{ border: `1px solid ${RULE}`, p: 1, mt: 1 }}>
      <Box>Which area is “{spelling}”? Click it on the map, or choose it here.</Box>
      {selected !== null && selected < areas.name.length && (
        <Button size="small" variant="outlined" onClick={() => props.onPair(areas.identifier[selected])}>
          It is {areas.name[selected]}
        </Button>
      )}
      <Pick
        label="Area"
        value=""
        options={[
          ["", "choose"] as const,
          ...order.map(([i, n]) => [i, without.has(i) ? `${n} (no row yet)` : n] as const),
        ]}
        onChange={(identifier) => identifier && props.onPair(identifier)}
      />
      <Link onClick={props.onLeave}>leave it</Link>
    </Box>
  );
}
