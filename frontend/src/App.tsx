/** The page: the account on top, the rail in the left margin, the map, the rows at the foot. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { AccountLine } from "./account/AccountLine";
import { FirstMap } from "./account/FirstMap";
import { type PlanVersion, postJson, type Schemas, type Study, type View } from "./api/client";
import { Begin, EmptyStudy, StudyMenu } from "./Begin";
import { AreaCard } from "./card/AreaCard";
import { EarlierBar } from "./earlier/EarlierBar";
import { EarlierPage } from "./earlier/EarlierPage";
import { FigurePage } from "./figure/FigurePage";
import { plural, whole } from "./format";
import { Help } from "./Help";
import { MapPane } from "./map/MapPane";
import { Notices } from "./parts/Notices";
import { Room } from "./parts/Room";
import { Rail } from "./rail/Rail";
import { RowsDrawer } from "./rows/RowsDrawer";
import { Compare } from "./stages/class/Compare";
import { BringIn } from "./stages/gather/BringIn";
import { DropAnywhere } from "./stages/gather/ChooseFiles";
import { Sheet } from "./stages/Sheet";
import { useAnswer, useDone } from "./state/asked";
import { TOGETHER, useIncoming } from "./state/incoming";
import { useOutcome, usePlans, useStudies, useUnderway, useUnsaved, useView } from "./state/queries";
import { STAGES, useDoing, useParts } from "./state/store";
import { useRailWidth, useSmall } from "./state/window";
import { Studies } from "./studies/Studies";
import { INK, MADDER, QUIET, WATER } from "./theme";

export function App() {
  const asked = useStudies();
  const all = useAnswer(asked);
  const chosen = useDoing((d) => d.study);
  const study = all?.find((s) => s.id === chosen) ?? all?.find((s) => s.head_id);
  const keeping = useDoing((d) => d.keeping);
  if (keeping) return <Studies open={study?.id} />;
  if (all && study?.head_id) return <StudyPage key={study.id} study={study} studies={all} />;
  if (all && study) return <EmptyStudy study={study} studies={all} />;
  return (
    <>
      <Notices />
      <Box sx={{ p: 6, maxWidth: 640 }} component="main">
        <Typography variant="h1">Steady Tally</Typography>
        {all && <Begin others={all.length} />}
      </Box>
    </>
  );
}

interface PageProps {
  study: Study;
  studies: readonly Study[];
}

/** How high the map is in a small window, and what takes its place. */
const [MEDIUM, LARGE] = ["max(60vh, 300px)", "max(100vh, 620px)"];

function StudyPage({ study, studies }: PageProps) {
  const asked = useView(study);
  const { sheet, selected, pinned, level, comparing, figuring, before, set } = useParts(
    "sheet",
    "selected",
    "pinned",
    "level",
    "comparing",
    "figuring",
    "before",
    "set",
  );
  const view = useAnswer(asked);
  const { shown, failed } = useOutcome(study, view, level);
  const railWidth = useRailWidth();
  const small = useSmall();
  const instead = comparing || figuring || (before && view?.earlier);
  const differs = Boolean(view?.earlier);
  useEffect(() => {
    if (!differs) set({ before: false }); // there is nothing of before any more
  }, [differs, set]);
  useKeys();
  const areas = shown?.view === view ? (shown?.areas ?? null) : null;
  const open = view && sheet && (
    <Room name="This sheet" of={`${view.version} ${sheet}`} leave={() => set({ sheet: null })}>
      <Sheet study={study} view={view} areas={areas} stage={sheet} />
    </Room>
  );
  const rail = shown ? (
    <Room name="The rail" of={shown}>
      <Rail study={study} view={shown.view} areas={shown.areas} />
    </Room>
  ) : (
    <Box component="aside" sx={{ width: railWidth, flexShrink: 0, borderRight: `1px solid ${INK}` }} />
  );
  const card = shown && selected !== null && selected < shown.areas.name.length && (
    <Room name="This card" of={`${shown.view.version} ${selected}`} leave={() => set({ selected: null })}>
      <AreaCard study={study} view={shown.view} areas={shown.areas} area={selected} />
    </Room>
  );
  return (
    <Box
      sx={{
        height: "100vh",
        display: "flex",
        flexDirection: "column",
        overflow: small ? "auto" : "hidden",
        "& > *": { flexShrink: small ? 0 : undefined },
      }}
    >
      {view ? <UnsavedNotices study={study} view={view} /> : <Notices />}
      <Box
        component="header"
        sx={{
          display: "flex",
          flexWrap: small ? "wrap" : undefined,
          alignItems: "baseline",
          gap: 2,
          px: 2,
          pt: 1,
          pb: 0.5,
        }}
      >
        <Typography variant="h1">Steady Tally</Typography>
        <StudyMenu study={study} studies={studies} />
        <Box sx={{ flexGrow: 1 }} />
        <WaitingFiles />
        <Button size="small" onClick={() => set({ help: true })}>
          Keys
        </Button>
      </Box>
      {asked.failed !== null && <BackToPlanBefore study={study} />}
      {view?.earlier && <EarlierBar view={view} earlier={view.earlier} />}
      {view && (
        <Room name="The account" of={view}>
          <AccountLine view={shown?.view ?? view} />
        </Room>
      )}
      {view?.drafted && <FirstMap key={view.version} study={study} view={view} drafted={view.drafted} />}
      <Box
        component="main"
        sx={small ? { display: "flex", flexDirection: "column" } : { flex: 1, minHeight: 0, display: "flex" }}
      >
        {small && open}
        {!small && rail}
        {!small && pinned && open}
        <Box
          sx={{
            position: "relative",
            bgcolor: WATER,
            ...(small ? { height: instead ? LARGE : MEDIUM, flexShrink: 0 } : { flex: 1, minWidth: 0 }),
          }}
        >
          {shown && (
            <Room name="The map" of={shown}>
              <MapPane study={study} view={shown.view} areas={shown.areas} shapes={shown.shapes} />
            </Room>
          )}
          {!shown && view?.fault && <FaultPane study={study} fault={view.fault} />}
          {!shown && !view?.fault && asked.failed === null && !failed && <WorkingItOut study={study} />}
          {shown && comparing && !shown.areas.words.length && (
            <Room name="This page" of={shown} leave={() => set({ comparing: false })}>
              <Compare study={study} view={shown.view} areas={shown.areas} shapes={shown.shapes} />
            </Room>
          )}
          {shown && figuring && (
            <Room name="This page" of={shown} leave={() => set({ figuring: false })}>
              <FigurePage study={study} view={shown.view} areas={shown.areas} shapes={shown.shapes} />
            </Room>
          )}
          {view?.earlier && before && (
            <Room name="This page" of={view} leave={() => set({ before: false })}>
              <EarlierPage view={view} earlier={view.earlier} shown={shown} />
            </Room>
          )}
          {!small && !pinned && open}
          {!small && card}
        </Box>
        {small && card}
        {/* Where all stands below each other what takes the map's place takes the rail's too. */}
        {small && !instead && rail}
      </Box>
      {shown && (
        <Room name="These rows" of={shown} leave={() => set({ rows: null })}>
          <RowsDrawer study={study} view={shown.view} areas={shown.areas} />
        </Room>
      )}
      <Help />
      <BringIn study={study} />
      <DropAnywhere study={study} />
    </Box>
  );
}

/** With the changes that wait for an answer. */
function UnsavedNotices({ study, view }: { study: Study; view: View }) {
  return <Notices unsaved={useUnsaved(study, view)} />;
}

/** In the map's place while there is none yet: what is done now. */
function WorkingItOut({ study }: { study: Study }) {
  const step = useAnswer(useUnderway(study));
  return (
    <Box role="status" sx={{ p: 3, color: QUIET }}>
      Working it out…{" "}
      {step?.says && (
        <>
          {step.says}
          {step.total > 0 && `: ${whole(step.done)} of ${whole(step.total)}`}
        </>
      )}
    </Box>
  );
}

/** In the map's place: what stands in the way, and the ways on. */
function FaultPane({ study, fault }: { study: Study; fault: Schemas["Fault"] }) {
  const set = useDoing((d) => d.set);
  const stage = STAGES.find((s) => s === fault.stage) ?? "gather";
  return (
    <Box role="alert" sx={{ p: 3, pl: 4, maxWidth: 640, ml: "auto" }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        This plan cannot be worked out.
      </Typography>
      <Typography sx={{ color: MADDER, mb: 2 }}>{fault.says}</Typography>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="outlined" size="small" onClick={() => set({ sheet: stage })}>
          Open {stage[0].toUpperCase() + stage.slice(1)}
        </Button>
        <BackToPlanBefore study={study} />
      </Box>
    </Box>
  );
}

/** A plan that cannot be worked out must not lock the user out: the one before it can be opened again. */
function BackToPlanBefore({ study }: { study: Study }) {
  const versions = useAnswer(usePlans(study))?.versions;
  const cache = useQueryClient();
  const open = useDone("The plan before this one", async (document: PlanVersion["document"]) => {
    await postJson(`/api/studies/${study.id}/plans`, { parent_id: study.head_id, document });
    await cache.invalidateQueries({ queryKey: ["study"] });
  });
  const before = versions?.[versions.findIndex((v) => v.id === study.head_id) - 1];
  if (!before) return null;
  return (
    <Button size="small" onClick={() => open.mutate(before.document)}>
      Go back to the plan before this one
    </Button>
  );
}

/** Files that wait for a decision while the map is looked at. */
function WaitingFiles() {
  const { files, open, show } = useIncoming();
  if (!files.length || open) return null;
  return (
    <Button
      size="small"
      sx={{ color: MADDER }}
      onClick={() => show(files.length > 1 ? TOGETHER : files[0].id)}
    >
      {plural(files.length, "file")} to bring in
    </Button>
  );
}

/** Keys that work anywhere but in a field. */
function useKeys() {
  const set = useDoing((d) => d.set);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (
        (event.target instanceof HTMLInputElement &&
          event.target.type !== "radio" &&
          event.target.type !== "checkbox") ||
        event.ctrlKey ||
        event.metaKey ||
        event.altKey
      )
        return;
      const { sheet, rows, selected, help, outline, correcting, comparing, figuring, before } =
        useDoing.getState();
      if (useIncoming.getState().open) return;
      if (event.target instanceof HTMLSelectElement || event.target instanceof HTMLTextAreaElement) return;
      const stage = STAGES[Number(event.key) - 1];
      if (stage) set({ sheet: sheet === stage ? null : stage });
      else if (event.key === "b") set({ unseen: null, unclassed: false });
      else if (event.key === "?") set({ help: !help });
      else if (event.key === "r") set({ rows: rows ? null : "areas" });
      else if (event.key === "Escape") {
        if (help) set({ help: false });
        else if (outline) set({ outline: null });
        else if (correcting) set({ correcting: null });
        else if (before) set({ before: false });
        else if (sheet) set({ sheet: null });
        else if (comparing) set({ comparing: false });
        else if (figuring) set({ figuring: false });
        else if (selected !== null) set({ selected: null });
        else if (rows) set({ rows: null });
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [set]);
}
