/** The page: the account on top, the rail in the left margin, the map, the rows at the foot. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useEffect } from "react";
import { AccountLine } from "./account/AccountLine";
import type { Study } from "./api/client";
import { AreaCard } from "./card/AreaCard";
import { whole } from "./format";
import { Help } from "./Help";
import { MapPane } from "./map/MapPane";
import { Rail } from "./rail/Rail";
import { RowsDrawer } from "./rows/RowsDrawer";
import { Sheet } from "./stages/Sheet";
import { useAreas, useDemoJob, useShapes, useStudy, useView } from "./state/queries";
import { STAGES, useDoing } from "./state/store";
import { MADDER, QUIET } from "./theme";

export function App() {
  const study = useStudy();
  if (study.data) return <StudyPage study={study.data} failure={study.error} retry={() => study.refetch()} />;
  return (
    <Box sx={{ p: 6, maxWidth: 640 }} component="main">
      <Typography variant="h1">Steady Tally</Typography>
      {study.error ? <Failure error={study.error} retry={() => study.refetch()} /> : <Loading />}
    </Box>
  );
}

function Loading() {
  const job = useDemoJob(true).data;
  if (!job) return <Typography sx={{ mt: 3, color: QUIET }}>Nothing here yet.</Typography>;
  if (job.state === "failed" || job.state === "cancelled") {
    return <Typography sx={{ mt: 3, color: MADDER }}>The demo could not be loaded: {job.says}</Typography>;
  }
  return (
    <Box sx={{ mt: 4 }}>
      <Typography variant="h2">Making up Quillhaven</Typography>
      <Typography sx={{ my: 1 }} role="status">
        {job.step || "about to begin"}
        {job.total > 0 && `: ${whole(job.done)} of ${whole(job.total)}`}
      </Typography>
      <LinearProgress
        aria-label="Loading the demo study"
        variant={job.total > 0 ? "determinate" : "indeterminate"}
        value={job.total > 0 ? (100 * job.done) / job.total : undefined}
      />
    </Box>
  );
}

function Failure({ error, retry }: { error: Error; retry: () => void }) {
  return (
    <Box role="alert" sx={{ display: "flex", gap: 2, alignItems: "center", py: 1 }}>
      <Typography sx={{ color: MADDER }}>{error.message}</Typography>
      <Button size="small" variant="outlined" onClick={retry}>
        Try again
      </Button>
    </Box>
  );
}

function StudyPage({ study, failure, retry }: { study: Study; failure: Error | null; retry: () => void }) {
  const view = useView(study);
  const areas = useAreas(study);
  const { sheet, selected, pinned, level, set } = useDoing();
  const shapes = useShapes(study, view.data, level);
  useKeys();
  const error = failure ?? view.error ?? areas.error ?? shapes.error;
  const again = () => {
    retry();
    for (const query of [view, areas, shapes]) if (query.error) query.refetch();
  };
  const consistent = view.data && areas.data && shapes.data;
  return (
    <Box sx={{ height: "100vh", display: "flex", flexDirection: "column", overflow: "hidden" }}>
      <Box component="header" sx={{ display: "flex", alignItems: "baseline", gap: 2, px: 2, pt: 1, pb: 0.5 }}>
        <Typography variant="h1">Steady Tally</Typography>
        <Typography sx={{ color: QUIET, flexGrow: 1 }}>{study.name}</Typography>
        <Button size="small" onClick={() => set({ help: true })}>
          Keys
        </Button>
      </Box>
      {error && (
        <Box sx={{ px: 2 }}>
          <Failure error={error} retry={again} />
        </Box>
      )}
      {view.data && <AccountLine view={view.data} />}
      <Box component="main" sx={{ flex: 1, minHeight: 0, display: "flex" }}>
        {consistent && <Rail view={view.data} areas={areas.data} />}
        {view.data && sheet && pinned && <Sheet study={study} view={view.data} stage={sheet} />}
        <Box sx={{ flex: 1, minWidth: 0, position: "relative" }}>
          {consistent && <MapPane study={study} view={view.data} areas={areas.data} shapes={shapes.data} />}
          {view.data && sheet && !pinned && <Sheet study={study} view={view.data} stage={sheet} />}
          {consistent && selected !== null && selected < areas.data.name.length && (
            <AreaCard study={study} view={view.data} areas={areas.data} area={selected} />
          )}
        </Box>
      </Box>
      {consistent && <RowsDrawer study={study} view={view.data} areas={areas.data} />}
      <Help />
    </Box>
  );
}

/** Keys that work anywhere but in a field. */
function useKeys() {
  const set = useDoing((d) => d.set);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (
        (event.target instanceof HTMLInputElement && event.target.type !== "radio") ||
        event.ctrlKey ||
        event.metaKey ||
        event.altKey
      )
        return;
      const { sheet, rows, selected, help } = useDoing.getState();
      const stage = STAGES[Number(event.key) - 1];
      if (stage) set({ sheet: sheet === stage ? null : stage });
      else if (event.key === "?") set({ help: !help });
      else if (event.key === "r") set({ rows: rows ? null : "areas" });
      else if (event.key === "Escape") {
        if (help) set({ help: false });
        else if (sheet) set({ sheet: null });
        else if (selected !== null) set({ selected: null });
        else if (rows) set({ rows: null });
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [set]);
}
