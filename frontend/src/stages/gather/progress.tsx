/** How far a file is on its way in. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import type { Job } from "../../api/client";
import { whole } from "../../format";
import { type Incoming, stop } from "../../state/incoming";

/** A file that is sent or looked into. */
export function Sending({ file }: { file: Incoming }) {
  return (
    <>
      <Typography role="status">
        {file.stage === "sending"
          ? `Sending ${file.name}: ${megabytes(file.sent)} of ${megabytes(file.total)}`
          : `Looking into ${file.name}…`}{" "}
        {file.says}
      </Typography>
      <LinearProgress
        aria-label="Sending the file"
        sx={{ mt: 1 }}
        variant={file.stage === "sending" && file.total ? "determinate" : "indeterminate"}
        value={file.total ? (100 * file.sent) / file.total : undefined}
      />
    </>
  );
}

/** What is being brought in; `begun` is when that began, in milliseconds. */
export function JobProgress({ job, begun }: { job: Job | null; begun: number }) {
  return (
    <Box role="status">
      <Box sx={{ display: "flex", justifyContent: "space-between", mb: 0.5 }}>
        <span>
          {job?.step || "waiting"}
          {job &&
            job.done > 0 &&
            `: ${whole(job.done)}${job.total ? ` of about ${whole(job.total)}` : ""} rows`}
        </span>
        <span>{job && remaining(job, begun)}</span>
      </Box>
      <LinearProgress
        aria-label="Bringing the file in"
        variant={job?.total ? "determinate" : "indeterminate"}
        value={job?.total ? Math.min(100, (100 * job.done) / job.total) : undefined}
      />
      {job && (
        <Button size="small" sx={{ mt: 1 }} onClick={() => stop(job)}>
          Stop
        </Button>
      )}
    </Box>
  );
}

function remaining(job: Job, begun: number): string {
  if (!job.total || !job.done || job.done >= job.total) return "";
  const spent = (Date.now() - begun) / 1000;
  const seconds = Math.ceil((spent * (job.total - job.done)) / job.done);
  return seconds > 90 ? `about ${Math.ceil(seconds / 60)} minutes left` : `about ${seconds} s left`;
}

function megabytes(bytes: number): string {
  return `${(bytes / 1e6).toFixed(1)} MB`;
}
