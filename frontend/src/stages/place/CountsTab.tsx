/** Which areas count: those left out, and where an event could have been recorded at all. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import { useState } from "react";
import type { Schemas, Source } from "../../api/client";
import { plural } from "../../format";
import { Answer } from "../../parts/Answer";
import { Pick } from "../../parts/Fields";
import { Head, Quiet, Ticks } from "../../parts/parts";
import { says } from "../../plan/filter";
import { mappedEvents } from "../../plan/mapped";
import { leftOut, ofSource, recordedIn } from "../../plan/place";
import type { Condition, RecordedWhere } from "../../plan/types";
import { useAnswer } from "../../state/asked";
import { useAreaColumns, useSources } from "../../state/queries";
import { useParts } from "../../state/store";
import { RULE } from "../../theme";
import type { PlaceProps } from "./props";

export function CountsTab(props: PlaceProps) {
  return (
    <>
      <LeftOut {...props} />
      <Recorded {...props} />
    </>
  );
}

function LeftOut({ study, view, save }: PlaceProps) {
  const { outline, outlineFor, set } = useParts("outline", "outlineFor", "set");
  const exclude = view.plan.place.exclude;
  const gone = view.states.find((s) => s.state === "excluded")?.areas ?? 0;
  const aside = view.ledger.stages[1].set_aside.find((r) => r.reason === "in_excluded_area")?.records ?? 0;
  return (
    <>
      <Head>Areas left out</Head>
      <Quiet>
        {gone
          ? `${plural(gone, "area")} with ${plural(aside, "event")}. The file itself is never changed.`
          : "None. Click an area on the map and leave it out on its card, or choose here."}
      </Quiet>
      {exclude.areas.map((identifier) => (
        <Entry
          key={identifier}
          says={identifier}
          onTakeOut={() => save((plan) => leftOut(plan, identifier, false))}
        />
      ))}
      {exclude.where.map((c, i) => (
        <Entry
          key={JSON.stringify(c)}
          says={goneBy(c)}
          onTakeOut={() =>
            save((plan) => {
              plan.place.exclude.where.splice(i, 1);
            })
          }
        />
      ))}
      {exclude.inside.map((o, i) => (
        <Entry
          key={JSON.stringify(o).slice(0, 200)}
          says={o.source ? `inside ${o.source}` : `inside an outline of ${o.corners?.length} corners`}
          onTakeOut={() =>
            save((plan) => {
              plan.place.exclude.inside.splice(i, 1);
            })
          }
        />
      ))}
      <ByColumn study={study} view={view} save={save} />
      {outline && outlineFor === "left out" ? (
        <Quiet>
          Click corners on the map around the areas; Enter ends the outline, Escape gives it up.{" "}
          {plural(outline.length, "corner")} so far.
        </Quiet>
      ) : (
        <Button
          size="small"
          variant="outlined"
          sx={{ mt: 1 }}
          onClick={() => set({ outline: [], outlineFor: "left out" })}
        >
          Draw around areas to leave out
        </Button>
      )}
    </>
  );
}

/** Which areas a condition leaves out: conditions say which stay. */
function goneBy(c: Condition): string {
  return c.kind === "values" && !c.keep ? says({ ...c, keep: true }) : `all but ${says(c)}`;
}

function Entry({ says, onTakeOut }: { says: string; onTakeOut: () => void }) {
  return (
    <Box sx={{ display: "flex", gap: 1, borderBottom: `1px solid ${RULE}`, alignItems: "center" }}>
      <Box sx={{ flex: 1, overflowWrap: "anywhere" }}>{says}</Box>
      <ButtonBase
        aria-label={`Take “${says}” in again`}
        sx={{ font: "inherit", px: 0.75 }}
        onClick={onTakeOut}
      >
        ×
      </ButtonBase>
    </Box>
  );
}

/** Leave zones out by the texts in one of their columns. */
function ByColumn({ view, save }: PlaceProps) {
  const columns = useAnswer(useAreaColumns(view))?.filter(
    (c) => Object.keys(c.values).length < 200 && Object.keys(c.values).length < view.ledger.areas.read,
  );
  const [column, setColumn] = useState("");
  const areas = view.plan.place.areas;
  if (areas.kind !== "zones" || areas.roll_up || areas.overlaps === "combinations" || !columns?.length)
    return null;
  const values = columns.find((c) => c.column === column)?.values as Record<string, number> | undefined;
  const where = view.plan.place.exclude.where;
  const isMine = (c: Condition) => c.kind === "values" && c.column === column && !c.keep;
  const mine = where.find(isMine);
  const out = new Set<string>(mine?.kind === "values" ? mine.values : []);
  const toggle = (value: string) =>
    save((plan) => {
      const others = plan.place.exclude.where.filter((c) => !isMine(c));
      const next = out.has(value) ? [...out].filter((v) => v !== value) : [...out, value];
      plan.place.exclude.where = next.length
        ? [...others, { kind: "values", name: null, on: true, column, values: next, keep: false }]
        : others;
    });
  return (
    <>
      <Pick
        label="Leave zones out by"
        value={column}
        options={[["", "choose a column"], ...columns.map((c) => [c.column, c.column] as const)]}
        onChange={setColumn}
      />
      {values && <Ticks values={values} ticked={out} onToggle={toggle} />}
    </>
  );
}

const EVERYWHERE = "everywhere";

type Where = RecordedWhere["kind"] | typeof EVERYWHERE | "differs";

/** Where an event could have been recorded at all, in all recorded windows or in one of them. */
function Recorded(props: PlaceProps) {
  const columns = useAreaColumns(props.view);
  return (
    <>
      <Head>Where events could be recorded</Head>
      <Answer of={useSources(props.study)}>
        {(sources) => (
          <Answer of={columns}>
            {(found) => <RecordedForm {...props} sources={sources} columns={found} />}
          </Answer>
        )}
      </Answer>
    </>
  );
}

function RecordedForm({
  view,
  save,
  sources,
  columns,
}: PlaceProps & { sources: readonly Source[]; columns: Schemas["ZoneColumnsView"]["columns"] }) {
  const { outline, outlineFor, window, set } = useParts("outline", "outlineFor", "window", "set");
  const windows = mappedEvents(view.plan).recorded.filter((w) => w.first_day !== null);
  const at = window !== null && window < windows.length ? window : null;
  const said = mappedEvents(view.plan).recorded.map((w) => JSON.stringify(w.where));
  const alike = new Set(said).size < 2;
  const recorded = mappedEvents(view.plan).recorded[at ?? 0]?.where ?? null;
  const [choosing, setChoosing] = useState<Where | null>(null);
  const [table, setTable] = useState("");
  const [listedAs, setListedAs] = useState(recorded?.kind === "list" ? (recorded.area ?? "") : "");
  const kind: Where = choosing ?? (at === null && !alike ? "differs" : (recorded?.kind ?? EVERYWHERE));
  const keep = (to: RecordedWhere | null) => {
    setChoosing(null);
    save((plan) => recordedIn(mappedEvents(plan), at, to));
  };
  const choose = (next: Where) => {
    if (next === EVERYWHERE) keep(null);
    else if (next !== "differs") setChoosing(next);
  };
  const missing = view.states.find((s) => s.state === "not recorded")?.areas ?? 0;
  const polygons = sources.filter((s) => s.role === "zones");
  const tables = sources.filter((s) => s.role === "table");
  const list = recorded?.kind === "list" ? recorded : null;
  const listed = tables.find((t) => t.name === (table || list?.source)) ?? tables[0];
  return (
    <>
      {windows.length > 1 && (
        <Pick
          label="In"
          value={at === null ? "" : String(at)}
          options={[
            ["", "all recorded windows"],
            ...windows.map((w, i) => [String(i), w.name ?? `${w.first_day} to ${w.last_day}`] as const),
          ]}
          onChange={(i) => set({ window: i === "" ? null : Number(i) })}
        />
      )}
      <Pick<Where>
        label="An event could be recorded"
        value={kind}
        options={[
          ...(kind === "differs" ? ([["differs", "not the same in all of them"]] as const) : []),
          [EVERYWHERE, "everywhere"],
          ["outline", "inside an outline"],
          ...(columns.length ? ([["column", "in zones with a certain text in a column"]] as const) : []),
          ...(tables.length ? ([["list", "in the zones that a table lists"]] as const) : []),
        ]}
        onChange={choose}
      />
      {kind === "outline" && (
        <>
          <Pick
            label="The outline is that of"
            value={recorded?.kind === "outline" ? (recorded.outline.source ?? "") : ""}
            options={[["", "corners drawn on the map"], ...polygons.map((z) => [z.name, z.name] as const)]}
            onChange={(source) => source && keep({ kind: "outline", outline: ofSource(source) })}
          />
          {outline && outlineFor === "recorded" ? (
            <Quiet>Click corners on the map; Enter ends the outline, Escape gives it up.</Quiet>
          ) : (
            <Button
              size="small"
              variant="outlined"
              onClick={() => set({ outline: [], outlineFor: "recorded" })}
            >
              Draw it on the map
            </Button>
          )}
        </>
      )}
      {kind === "column" && <RecordedColumn columns={columns} recorded={recorded} keep={keep} />}
      {kind === "list" && listed && (
        <>
          {tables.length > 1 && (
            <Pick
              label="Table"
              value={listed.name}
              options={tables.map((t) => [t.name, t.name] as const)}
              onChange={setTable}
            />
          )}
          <Pick
            label="Column that lists the zones"
            value={list?.source === listed.name ? list.column : ""}
            options={[["", "choose one"], ...listed.columns.map((c) => [c, c] as const)]}
            onChange={(column) =>
              column && keep({ kind: "list", source: listed.name, column, area: listedAs || null })
            }
          />
          <Pick
            label="It lists them by"
            value={list ? (list.area ?? "") : listedAs}
            options={[["", "identifier or name"], ...columns.map((c) => [c.column, c.column] as const)]}
            onChange={(area) => {
              setListedAs(area);
              if (list) keep({ ...list, area: area || null });
            }}
          />
        </>
      )}
      {missing > 0 && (
        <Quiet>
          {plural(missing, "area")} outside it: not recorded, which is not zero. Areas partly inside count
          with their inside part and are marked.
        </Quiet>
      )}
    </>
  );
}

function RecordedColumn(props: {
  columns: readonly { column: string; values: Record<string, number> }[];
  recorded: RecordedWhere | null;
  keep: (to: RecordedWhere) => void;
}) {
  const { recorded, keep } = props;
  const [column, setColumn] = useState<string>(recorded?.kind === "column" ? recorded.column : "");
  const values = props.columns.find((c) => c.column === column)?.values ?? {};
  const chosen = new Set<string>(
    recorded?.kind === "column" && recorded.column === column ? recorded.values : [],
  );
  const toggle = (value: string) => {
    const next = chosen.has(value) ? [...chosen].filter((v) => v !== value) : [...chosen, value];
    if (next.length) keep({ kind: "column", column, values: next });
  };
  return (
    <>
      <Pick
        label="Column"
        value={column}
        options={[["", "choose one"], ...props.columns.map((c) => [c.column, c.column] as const)]}
        onChange={setColumn}
      />
      <Ticks values={values} ticked={chosen} onToggle={toggle} />
    </>
  );
}
