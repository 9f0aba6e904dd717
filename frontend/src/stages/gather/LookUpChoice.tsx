/** Records without coordinates, matched to a look-up of streets, postcodes or codes. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Schemas, Source, Study, View } from "../../api/client";
import { whole } from "../../format";
import { Answer } from "../../parts/Answer";
import { Pick } from "../../parts/Fields";
import { Quiet } from "../../parts/parts";
import { SystemField } from "../../parts/SystemField";
import { mappedEvents } from "../../plan/mapped";
import type { LookUp } from "../../plan/types";
import { type Save, useSources } from "../../state/queries";
import { INK, RULE } from "../../theme";

interface Props {
  study: Study;
  view: View;
  save: Save;
  found: Schemas["FindingsView"];
}

export function LookUpChoice(props: Props) {
  return (
    <>
      <Box sx={{ mt: 2, borderBottom: `1px solid ${INK}`, fontWeight: 500 }}>Records without coordinates</Box>
      <Answer of={useSources(props.study)}>
        {(sources) => <LookUpForm {...props} tables={sources.filter((s) => s.role === "look-up")} />}
      </Answer>
    </>
  );
}

function LookUpForm({ view, save, found, tables }: Props & { tables: readonly Source[] }) {
  const now = mappedEvents(view.plan).look_up;
  const [draft, setDraft] = useState<LookUp | null>(now);
  const keep = (lookUp: LookUp | null) =>
    save((plan) => {
      mappedEvents(plan).look_up = lookUp;
    });
  const table = tables.find((t) => t.name === draft?.source);
  const choose = (name: string) => {
    const source = tables.find((t) => t.name === name);
    setDraft(source ? firstGuess(source, view.columns) : null);
    if (!source && now) keep(null);
  };
  const put = (part: Partial<LookUp>) => setDraft({ ...draft!, ...part });
  const columns = (table?.columns ?? []).map((c) => [c, c] as const);
  const records = view.columns.map((c) => [c, c] as const);
  return (
    <>
      {tables.length === 0 ? (
        <Quiet>
          Bring in a table of streets, postcodes or codes with their coordinates as a look-up, and they can be
          found in it.
        </Quiet>
      ) : (
        <Pick
          label="Find them in"
          value={draft?.source ?? ""}
          options={[["", "nothing"], ...tables.map((t) => [t.name, t.name] as const)]}
          onChange={choose}
        />
      )}
      {draft && table && (
        <>
          {draft.keys.map((key, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: keys are told apart by their place
            <Box key={i} sx={{ display: "flex", gap: 1 }}>
              <Pick
                label={i ? "and the record's" : "The record's"}
                value={key.record}
                options={records}
                onChange={(record) =>
                  put({ keys: draft.keys.map((k, at) => (at === i ? { ...k, record } : k)) })
                }
              />
              <Pick
                label="is the look-up's"
                value={key.table}
                options={columns}
                onChange={(t) =>
                  put({ keys: draft.keys.map((k, at) => (at === i ? { ...k, table: t } : k)) })
                }
              />
            </Box>
          ))}
          <Box sx={{ display: "flex", gap: 1 }}>
            <Button
              size="small"
              onClick={() =>
                put({ keys: [...draft.keys, { record: view.columns[0], table: table.columns[0] }] })
              }
            >
              One more column
            </Button>
            {draft.keys.length > 1 && (
              <Button size="small" onClick={() => put({ keys: draft.keys.slice(0, -1) })}>
                One fewer
              </Button>
            )}
          </Box>
          <Box sx={{ display: "flex", gap: 1 }}>
            <Pick label="East" value={draft.x} options={columns} onChange={(x) => put({ x })} />
            <Pick label="North" value={draft.y} options={columns} onChange={(y) => put({ y })} />
          </Box>
          <SystemField
            label="Its coordinate system"
            value={draft.crs}
            near={[]}
            onChange={(crs) => put({ crs })}
          />
          <Button size="small" variant="outlined" sx={{ mt: 0.5 }} onClick={() => keep(draft)}>
            Look them up
          </Button>
        </>
      )}
      {now && (
        <LeftOver
          found={found}
          accept={(spelling, target) => keep({ ...now, accepted: { ...now.accepted, [spelling]: target } })}
        />
      )}
    </>
  );
}

function LeftOver(props: { found: Props["found"]; accept: (spelling: string, target: string) => void }) {
  const { left_over, suggestions } = props.found;
  const open = Object.entries(left_over);
  return (
    <>
      {Object.entries(suggestions)
        .slice(0, 8)
        .map(([spelling, targets]) => (
          <Button
            key={spelling}
            size="small"
            sx={{ display: "block", textAlign: "left" }}
            onClick={() => props.accept(spelling, targets[0])}
          >
            “{spelling}” is “{targets[0]}”
          </Button>
        ))}
      {open.length > 0 && <Quiet>Not in the look-up:</Quiet>}
      {open.slice(0, 12).map(([spelling, count]) => (
        <Box
          key={spelling}
          sx={{ display: "flex", justifyContent: "space-between", borderBottom: `1px solid ${RULE}` }}
        >
          <span>{spelling}</span>
          <span>{whole(count)}</span>
        </Box>
      ))}
    </>
  );
}

/** Columns of one name belong together; east and north by what they are called. */
function firstGuess(source: Source, records: readonly string[]): LookUp {
  const named = (words: RegExp) => source.columns.find((c) => words.test(c)) ?? source.columns[0];
  const both = source.columns.filter((c) => records.some((r) => r.toLowerCase() === c.toLowerCase()));
  const [x, y] = [named(/lon|lng|east|^x$/i), named(/lat|north|^y$/i)];
  const keys = both
    .filter((c) => c !== x && c !== y)
    .map((c) => ({ record: records.find((r) => r.toLowerCase() === c.toLowerCase())!, table: c }));
  const first = [{ record: records[0], table: source.columns[0] }];
  return {
    source: source.name,
    keys: keys.length ? keys : first,
    x,
    y,
    decimal: ".",
    crs: "EPSG:4326",
    accepted: {},
  };
}
