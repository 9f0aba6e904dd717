/** What may be shown: one rule for all that is handed on. */

import Box from "@mui/material/Box";
import type { View } from "../../../api/client";
import { moment } from "../../../format";
import { Answer } from "../../../parts/Answer";
import { Pick } from "../../../parts/Fields";
import { KeptField } from "../../../parts/KeptField";
import { NumberField } from "../../../parts/NumberField";
import { Link, Quiet } from "../../../parts/parts";
import { Ticked } from "../../../parts/Ticked";
import { tableKey, tableOf, tablesOf } from "../../../plan/released";
import type { Plan } from "../../../plan/types";
import { type Save, useHandedOn } from "../../../state/queries";
import { Fold } from "./Fold";

type Rule = NonNullable<Plan["release"]>;
const FRESH: Rule = {
  name: "small counts",
  min_events: 5,
  zeros: "shown",
  min_residents: 0,
  round_to: 1,
  smallest_cell_km2: 0,
  table: null,
  sizes: [],
  event_points: false,
};

export function MayBeShown({ view, save }: { view: View; save: Save }) {
  const rule = view.plan.release;
  const keep = (release: Rule | null) =>
    save((plan) => {
      plan.release = release;
    });
  const says = rule
    ? (view.released[0] ?? `The release rule “${rule.name}” holds.`)
    : "Nothing is held back.";
  return (
    <Fold title="What may be shown" says={says}>
      {rule ? (
        <Form key={rule.name} view={view} rule={rule} onKeep={keep} />
      ) : (
        <Box sx={{ mt: 1 }}>
          <Quiet>
            A rule says what is released: the counts of this plan’s measures by area, and one further table if
            you choose one. It hides small counts with their rate, share, interval and class, and so many
            beside them that nothing follows from totals: on the map, on pages and in all files.
          </Quiet>
          <Link onClick={() => keep(FRESH)}>hide areas with fewer than {FRESH.min_events} events</Link>
        </Box>
      )}
    </Fold>
  );
}

function Form(props: { view: View; rule: Rule; onKeep: (rule: Rule | null) => void }) {
  const { view, rule, onKeep } = props;
  return (
    <Box>
      {view.released.slice(1).map((says) => (
        <Quiet key={says}>{says}</Quiet>
      ))}
      <KeptField
        label="The rule is called"
        value={rule.name}
        check={(text) => (text.trim() ? null : { says: "Give it a name." })}
        onKeep={(text) => onKeep({ ...rule, name: text.trim() })}
      />
      <Box sx={{ display: "flex", gap: 1 }}>
        <NumberField
          label="Fewest events shown"
          value={rule.min_events}
          least={1}
          most={10_000}
          whole
          onKeep={(min_events) => onKeep({ ...rule, min_events })}
        />
        <NumberField
          label="Fewest residents"
          value={rule.min_residents}
          least={0}
          most={1e9}
          onKeep={(min_residents) => onKeep({ ...rule, min_residents })}
        />
      </Box>
      <Box sx={{ display: "flex", gap: 1 }}>
        <NumberField
          label="Counts to multiples of"
          value={rule.round_to}
          least={1}
          most={1000}
          whole
          onKeep={(round_to) => onKeep({ ...rule, round_to })}
        />
        {view.kind === "cells" && (
          <NumberField
            label="Smallest cell, km²"
            value={rule.smallest_cell_km2}
            least={0}
            most={1e9}
            onKeep={(smallest_cell_km2) => onKeep({ ...rule, smallest_cell_km2 })}
          />
        )}
      </Box>
      <Ticked
        label="zero is hidden as a small count is"
        on={rule.zeros === "hidden"}
        onChange={(on) => onKeep({ ...rule, zeros: on ? "hidden" : "shown" })}
      />
      <Pick
        label="Beside the areas, there go out"
        value={tableKey(rule.table)}
        options={tablesOf(view)}
        onChange={(key) => onKeep({ ...rule, table: tableOf(key, view.events_name) })}
      />
      <Ticked
        label="single events and records may be handed on"
        on={rule.event_points}
        onChange={(event_points) => onKeep({ ...rule, event_points })}
      />
      <Quiet>
        What went out before, or under another rule, is not known to this one. Whoever can filter the events
        can work out what is hidden: hand on the results, not the study.
      </Quiet>
      <LastHandedOn view={view} />
      <Box sx={{ mt: 1 }}>
        <Link onClick={() => onKeep(null)}>take the rule away</Link>
      </Box>
    </Box>
  );
}

/** What went out last: the rule knows nothing of it. */
function LastHandedOn({ view }: { view: View }) {
  return (
    <Answer of={useHandedOn(view)}>
      {({ latest }) => (
        <Quiet>
          {latest.length
            ? `Handed on last: ${latest.map((one) => `${one.file_name}, ${moment(one.made_at)}`).join("; ")}.`
            : "Nothing has been handed on from this study yet."}
        </Quiet>
      )}
    </Answer>
  );
}
