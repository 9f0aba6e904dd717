/** Classes and colours that stay as they are, for other filters, periods, areas and next month's figures. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import type { Areas } from "../../api/bulk";
import { resultsOf } from "../../api/bulk";
import { postJson, type Schemas, type View } from "../../api/client";
import { plural } from "../../format";
import { Head, Link, Quiet, Ticks } from "../../parts/parts";
import { mappedClasses, mappedColours, mappedName } from "../../plan/mapped";
import { byHand, extended, locked } from "../../plan/methods";
import { record } from "../../records";
import { useAnswer } from "../../state/asked";
import { type Save, useMeasures } from "../../state/queries";
import { MADDER } from "../../theme";

interface Props {
  view: View;
  /** The areas' figures, where they are there. */
  areas: Areas | null;
  save: Save;
}

export function Lock({ view, areas, save }: Props) {
  const now = mappedClasses(view.plan);
  return (
    <Box sx={{ mt: 1 }} data-testid="lock">
      <Head>Next month, and other maps</Head>
      {now.method === "locked" ? (
        <Locked view={view} areas={areas} save={save} now={now} />
      ) : (
        <Unlocked view={view} save={save} />
      )}
    </Box>
  );
}

function Locked({
  view,
  areas,
  save,
  now,
}: Props & { now: Extract<ReturnType<typeof mappedClasses>, { method: "locked" }> }) {
  const put = (next: ReturnType<typeof mappedClasses>) =>
    save((plan) => {
      plan.class[mappedName(plan)] = next;
    });
  return (
    <>
      <Quiet>
        The classes are locked{now.was && `, as made by ${now.was}`}: they stay for other filters, periods and
        areas.
      </Quiet>
      <Box sx={{ display: "flex", gap: 2, flexWrap: "wrap", mt: 0.5 }}>
        <Link onClick={() => put(byHand(now, now.at.slice(1, -1)))}>let them go</Link>
        {view.beyond > 0 && areas && (
          <Link onClick={() => put(extended(now, areas.value))}>
            extend them to the {plural(view.beyond, "area")} outside
          </Link>
        )}
      </Box>
    </>
  );
}

function Unlocked({ view, save }: Omit<Props, "areas">) {
  const [ticked, setTicked] = useState<ReadonlySet<string>>(new Set());
  const others = useAnswer(useMeasures(view, true))?.filter(
    (m) => m.name !== view.measure && m.value_name === view.value_name && !m.fault,
  );
  const chosen = others?.filter((m) => ticked.has(m.name)).map((m) => m.name) ?? [];
  const pool = useMutation({
    mutationFn: (names: readonly string[]) =>
      postJson<Schemas["PoolView"]>(`${resultsOf(view)}/classes/pooled`, {
        measures: names,
        way: mappedClasses(view.plan),
      }),
    onSuccess: ({ breaks, unit }, names) =>
      save((plan) => {
        const now = mappedClasses(plan);
        const colours = { ...mappedColours(plan), middle: view.middle };
        const was = `${view.method} of ${plural(names.length, "measure")} together`;
        for (const name of names) {
          plan.class[name] = locked(now, breaks, unit, was);
          plan.show.colours[name] = { ...colours };
        }
      }),
  });
  const lock = () =>
    save((plan) => {
      const now = mappedClasses(plan);
      plan.class[mappedName(plan)] = locked(now, view.ledger.breaks, view.value_name, view.method);
      mappedColours(plan).middle = view.middle;
    });
  const names = [view.measure, ...chosen];
  return (
    <>
      {others && others.length > 0 && (
        <>
          <Quiet>In common with other measures of {view.value_name}:</Quiet>
          <Ticks
            values={record(others.map((m) => [m.name, ""] as const))}
            ticked={ticked}
            onToggle={(name) =>
              setTicked(new Set(ticked.has(name) ? [...ticked].filter((t) => t !== name) : [...ticked, name]))
            }
          />
        </>
      )}
      <Button
        size="small"
        variant="outlined"
        sx={{ mt: 1 }}
        disabled={view.ledger.breaks.length === 0 || pool.isPending}
        onClick={() => (chosen.length ? pool.mutate(names) : lock())}
      >
        {chosen.length
          ? `Lock common classes of ${plural(names.length, "measure")}`
          : "Lock classes and colours"}
      </Button>
      {pool.error && <Quiet colour={MADDER}>{pool.error.message}</Quiet>}
    </>
  );
}

/** Kinds keep their colours by their words. */
export function LockKinds({ view, save }: Omit<Props, "areas">) {
  const kept = mappedColours(view.plan).words;
  const words = view.ledger.others ? view.ledger.words.slice(0, -1) : view.ledger.words;
  const more = words.filter((w) => !kept.includes(w));
  const put = (next: readonly string[]) =>
    save((plan) => {
      mappedColours(plan).words = [...next];
    });
  return (
    <Box sx={{ mt: 1 }} data-testid="lock">
      <Head>Next month, and other maps</Head>
      <Quiet>
        {kept.length
          ? `${plural(kept.length, "kind")} keep their colours.`
          : "Colours go by how many areas have a kind."}
      </Quiet>
      <Box sx={{ display: "flex", gap: 2, flexWrap: "wrap", mt: 0.5 }}>
        {more.length > 0 && (
          <Link onClick={() => put([...kept, ...more])}>
            {kept.length ? `lock those of ${plural(more.length, "kind")} more` : "Lock the colours of kinds"}
          </Link>
        )}
        {kept.length > 0 && <Link onClick={() => put([])}>let them go</Link>}
      </Box>
    </Box>
  );
}
