/** How far work in the background is, how to stop it, and the file that it has made. */
import Box from "@mui/material/Box";
import LinearProgress from "@mui/material/LinearProgress";
import { bytes, whole } from "../format";
import { fileOf, type Work } from "../state/work";
import { INK, MADDER, QUIET } from "../theme";
import { Link } from "./parts";

export function WorkBar({ work }: { work: Work }) {
  const { job, error, busy } = work;
  if (error)
    return (
      <Box role="alert" sx={{ color: MADDER, fontSize: "0.8125rem", mt: 0.5 }}>
        {error}
      </Box>
    );
  if (!job) return null;
  if (busy)
    return (
      <Box sx={{ mt: 0.5, fontSize: "0.8125rem", color: QUIET }}>
        <Box sx={{ display: "flex", gap: 1, justifyContent: "space-between" }}>
          <Box role="status" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
            {job.step || "about to begin"}
            {job.total > 1 && `: ${whole(job.done)} of ${whole(job.total)}`}
          </Box>
          <Link onClick={work.stop}>stop</Link>
        </Box>
        <LinearProgress
          aria-label="How far it is"
          variant={job.total > 0 ? "determinate" : "indeterminate"}
          value={job.total > 0 ? (100 * job.done) / job.total : undefined}
        />
      </Box>
    );
  return (
    <Box role="status" sx={{ mt: 0.5, fontSize: "0.8125rem", color: QUIET }}>
      {job.file_name && (
        <Box component="a" href={fileOf(job)} download sx={{ color: INK }}>
          {job.file_name}, {bytes(job.file_bytes)}
        </Box>
      )}
      {job.says && <Box sx={{ maxHeight: "6.5em", overflowY: "auto" }}>{job.says}</Box>}
    </Box>
  );
}
