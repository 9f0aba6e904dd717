/** Gather's sheet: the account of the records, the files, the filter, and what else was found. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import type { Study, View } from "../../api/client";
import { whole } from "../../format";
import { Answer } from "../../parts/Answer";
import { Head, Link, Notes, Question, Quiet, Tabs } from "../../parts/parts";
import { mappedEvents } from "../../plan/mapped";
import { mapEvents } from "../../plan/measures";
import { useAnswer } from "../../state/asked";
import type { Save } from "../../state/queries";
import { useAccount, useFindings, useSources } from "../../state/queries";
import { type GatherTab, useDoing, useParts } from "../../state/store";
import { INK } from "../../theme";
import { ChecksTab } from "./ChecksTab";
import { FilesTab } from "./FilesTab";
import { FilterTab } from "./FilterTab";

const TABS: readonly GatherTab[] = ["records", "files", "filter", "checks"];

export function GatherSheet({ study, view, save }: { study: Study; view: View; save: Save }) {
  const { gatherTab, set } = useParts("gatherTab", "set");
  return (
    <>
      <Question>Which records?</Question>
      <Tabs tabs={TABS} open={gatherTab} onOpen={(tab) => set({ gatherTab: tab })} />
      {gatherTab === "records" && <Records study={study} view={view} save={save} />}
      {gatherTab === "files" && <FilesTab study={study} view={view} save={save} />}
      {gatherTab === "filter" && <FilterTab view={view} save={save} />}
      {gatherTab === "checks" && <ChecksTab study={study} view={view} save={save} />}
    </>
  );
}

function Records({ study, view, save }: { study: Study; view: View; save: Save }) {
  const set = useDoing((d) => d.set);
  const swapped = view.ledger.stages[0].set_aside.some((r) => r.reason === "swapped_axes");
  const findings = useAnswer(useFindings(view, swapped));
  const swapping = mappedEvents(view.plan).swapped_axes === "swap";
  const swap = (to: "swap" | "set_aside") =>
    save((plan) => {
      mappedEvents(plan).swapped_axes = to;
    });
  return (
    <>
      {view.ledger.stages.map((stage) => (
        <Box key={stage.stage} sx={{ mb: 1.5 }}>
          <Entry
            label={stage.stage === "gather" ? "read" : "looked for in the areas"}
            count={stage.records_in}
            strong
          />
          {stage.set_aside.map((reason) => (
            <Box key={reason.reason}>
              <ButtonBase
                onClick={() => set({ rows: "set aside", reason: reason.reason })}
                sx={{
                  display: "block",
                  width: "100%",
                  textAlign: "left",
                  "&:hover": { bgcolor: "#EFE9DB" },
                }}
              >
                <Entry label={reason.says} count={-reason.records} />
              </ButtonBase>
              {reason.reason === "swapped_axes" && (
                <Box sx={{ pb: 0.5 }}>
                  {findings?.swapped_would_land != null && (
                    <Quiet>
                      Exchanged, {whole(findings.swapped_would_land)} of {whole(findings.swapped)} would lie
                      in an area.
                    </Quiet>
                  )}
                  <Button size="small" variant="outlined" sx={{ mt: 0.5 }} onClick={() => swap("swap")}>
                    Exchange them
                  </Button>
                </Box>
              )}
            </Box>
          ))}
          <Box sx={{ borderTop: `1px solid ${INK}`, borderBottom: `3px double ${INK}` }}>
            <Entry label={stage.stage === "gather" ? "go on" : "placed"} count={stage.records_out} strong />
          </Box>
        </Box>
      ))}
      {swapping && (
        <Button size="small" onClick={() => swap("set_aside")}>
          Set swapped coordinates aside again
        </Button>
      )}
      <Change study={study} view={view} />
      <OtherEvents view={view} save={save} />
      <Notes view={view} stage="gather" />
    </>
  );
}

/** The events of the study that the map does not count: each with its account, and one press away from the map. */
function OtherEvents({ view, save }: { view: View; save: Save }) {
  const others = Object.keys(view.plan.gather.events).filter((name) => name !== view.events_name);
  if (!others.length) return null;
  return (
    <>
      <Head>Other events of the study</Head>
      {others.map((name) => (
        <OtherAccount
          key={name}
          view={view}
          name={name}
          onMap={() => save((plan) => mapEvents(plan, name, plan.gather.events[name]))}
        />
      ))}
    </>
  );
}

function OtherAccount({ view, name, onMap }: { view: View; name: string; onMap: () => void }) {
  const account = useAccount(view, name);
  return (
    <Box sx={{ mb: 1 }}>
      {!account.answered && <Box sx={{ fontWeight: 600 }}>{name}</Box>}
      <Answer of={account} awaited="Working it out…">
        {({ stages: [gather, place] }) => (
          <>
            <Entry label={name} count={gather.records_in} strong />
            <Entry label="set aside" count={-gather.records_set_aside} />
            {place && <Entry label="not placed" count={-place.records_set_aside} />}
            {place && <Entry label="placed" count={place.records_out} />}
          </>
        )}
      </Answer>
      <Link onClick={onMap}>map these events</Link>
    </Box>
  );
}

/** How the events' file differs from the one that it took the place of. */
function Change({ study, view }: { study: Study; view: View }) {
  const source = useAnswer(useSources(study))?.find((s) => s.name === mappedEvents(view.plan).source);
  const change = source?.change as Record<string, number | string> | undefined;
  if (typeof change?.new !== "number") return null;
  return (
    <Quiet>
      Against {change.file_before}: {whole(change.new)} rows new, {whole(change.gone as number)} gone,{" "}
      {whole(change.changed as number)} changed, {whole(change.same as number)} the same.
    </Quiet>
  );
}

function Entry({ label, count, strong = false }: { label: string; count: number; strong?: boolean }) {
  return (
    <Box
      sx={{
        display: "flex",
        justifyContent: "space-between",
        gap: 2,
        py: 0.25,
        fontWeight: strong ? 600 : 400,
      }}
    >
      <span>{label}</span>
      <span style={{ whiteSpace: "nowrap" }}>{count < 0 ? `− ${whole(-count)}` : whole(count)}</span>
    </Box>
  );
}
