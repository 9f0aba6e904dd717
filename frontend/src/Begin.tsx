/** Before there is a map: the first page, a study without files, and the way from one study to another. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Study } from "./api/client";
import { plural, whole } from "./format";
import { Notices } from "./parts/Notices";
import { BringIn } from "./stages/gather/BringIn";
import { ChooseFiles, DropAnywhere } from "./stages/gather/ChooseFiles";
import { useAnswer } from "./state/asked";
import { OPENED, useWaiting } from "./state/keeping";
import { useDemoJob, useFirstPlan, useLoadDemo, useSources } from "./state/queries";
import { useDoing } from "./state/store";
import { NameStudy } from "./studies/NameStudy";
import { Sessions } from "./studies/Sessions";
import { Waiting } from "./studies/Waiting";
import { INK, MADDER, QUIET, RULE } from "./theme";

/** No study yet: the demo on its way, or the two ways to begin. */
export function Begin({ others }: { others: number }) {
  const set = useDoing((d) => d.set);
  const job = useAnswer(useDemoJob(true));
  const demo = useLoadDemo();
  const begun = job && (job.state === "waiting" || job.state === "running" || job.state === "done");
  if (begun) {
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
  return (
    <Box sx={{ mt: 3 }}>
      {job && <Typography sx={{ color: MADDER, mb: 2 }}>The demo could not be loaded: {job.says}</Typography>}
      <Typography variant="h2">Begin a study</Typography>
      <NameStudy />
      {others > 0 && (
        <Button size="small" sx={{ mt: 1 }} onClick={() => set({ keeping: true })}>
          {plural(others, "study", "studies")} without a map
        </Button>
      )}
      <Typography sx={{ mt: 4, color: QUIET }}>
        Or look around first, with made-up call-outs in a made-up county.
      </Typography>
      <Button variant="outlined" size="small" sx={{ mt: 1 }} onClick={() => demo.mutate()}>
        Load the demo study
      </Button>
      {demo.error && (
        <Typography role="alert" sx={{ color: MADDER, mt: 1 }}>
          {demo.error.message}
        </Typography>
      )}
    </Box>
  );
}

/** A study without a plan: one place to drop files, and what has come in so far. */
export function EmptyStudy({ study, studies }: { study: Study; studies: readonly Study[] }) {
  const sources = useAnswer(useSources(study));
  const first = useFirstPlan(study);
  const waiting = useAnswer(useWaiting(study));
  return (
    <Box sx={{ height: "100vh", display: "flex", flexDirection: "column", overflowY: "auto" }}>
      <Notices />
      <Box component="header" sx={{ display: "flex", alignItems: "baseline", gap: 2, px: 2, pt: 1, pb: 0.5 }}>
        <Typography variant="h1">Steady Tally</Typography>
        <StudyMenu study={study} studies={studies} />
      </Box>
      <Box component="main" sx={{ flex: 1, borderTop: `3px double ${INK}`, p: 4, display: "flex" }}>
        <Box
          sx={{
            flex: 1,
            border: `1px dashed ${INK}`,
            display: "flex",
            flexDirection: "column",
            alignItems: "center",
            justifyContent: "center",
            gap: 2,
            textAlign: "center",
            p: 4,
          }}
        >
          {waiting ? (
            <Waiting study={study} studies={studies} wanted={waiting} />
          ) : (
            <>
              <Typography variant="h2" sx={{ fontSize: "1.7rem" }}>
                Drop the files of your events here
              </Typography>
              <Typography sx={{ maxWidth: 520 }}>
                A table or a map file with one row for each call-out, case or theft. Areas to count them in,
                and figures to divide by, can come with it or later.
              </Typography>
              <ChooseFiles study={study} large />
              <Typography sx={{ color: QUIET, fontSize: "0.8125rem", maxWidth: 560 }}>
                Delimited text, workbooks, Parquet, GeoPackage, GeoJSON, Shapefile, FlatGeobuf, KML, TopoJSON.
                Nothing leaves this machine.
              </Typography>
              {sources && sources.length > 0 && (
                <Box sx={{ borderTop: `1px solid ${RULE}`, pt: 2, minWidth: 320 }}>
                  {sources.map((s) => (
                    <Box key={s.id} sx={{ display: "flex", justifyContent: "space-between", gap: 4 }}>
                      <span>{s.name}</span>
                      <span style={{ color: QUIET }}>
                        {s.role}, {plural(s.columns.length, "column")}
                      </span>
                    </Box>
                  ))}
                  <Typography sx={{ mt: 1, color: MADDER }}>Events are still missing.</Typography>
                  {sources
                    .filter((s) => s.role === "zones")
                    .map((s) => (
                      <Box key={s.id} sx={{ mt: 1 }}>
                        <Button
                          size="small"
                          variant="outlined"
                          disabled={first.isPending}
                          onClick={() => first.mutate(s.name)}
                        >
                          Map “{s.name}” without events
                        </Button>
                      </Box>
                    ))}
                  {first.error && <Typography sx={{ color: MADDER }}>{first.error.message}</Typography>}
                </Box>
              )}
            </>
          )}
        </Box>
      </Box>
      <BringIn study={study} />
      <DropAnywhere study={study} />
    </Box>
  );
}

/** The open study's name, and behind it the others. */
export function StudyMenu({ study, studies }: { study: Study; studies: readonly Study[] }) {
  const set = useDoing((d) => d.set);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState(false);
  const [sessions, setSessions] = useState(false);
  if (naming) return <NameStudy onDone={() => setNaming(false)} />;
  return (
    <>
      <Button
        size="small"
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ color: QUIET, fontSize: "0.9375rem" }}
      >
        {study.name} ▾
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {studies.map((s) => (
          <MenuItem
            key={s.id}
            selected={s.id === study.id}
            onClick={() => {
              setAnchor(null);
              set({ ...OPENED, study: s.id });
            }}
          >
            {s.name}
          </MenuItem>
        ))}
        <MenuItem
          sx={{ borderTop: `1px solid ${RULE}` }}
          onClick={() => {
            setAnchor(null);
            setNaming(true);
          }}
        >
          Begin a study
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            set({ keeping: true });
          }}
        >
          All studies: rename, copy, delete
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            setSessions(true);
          }}
        >
          Sessions: who is in, end all
        </MenuItem>
      </Menu>
      {sessions && <Sessions close={() => setSessions(false)} />}
    </>
  );
}
