/** A study that has a plan already and waits for its files: which are there, and two ways to each of the others. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import type { Study } from "../api/client";
import { Pick } from "../parts/Fields";
import { Link } from "../parts/parts";
import { useAnswer } from "../state/asked";
import { take } from "../state/incoming";
import { useWaitingChanges, type WaitedFor } from "../state/keeping";
import { useSources } from "../state/queries";
import { MADDER, QUIET, RULE } from "../theme";

interface Props {
  study: Study;
  studies: readonly Study[];
  wanted: readonly WaitedFor[];
}

export function Waiting({ study, studies, wanted }: Props) {
  const { take: takeFrom, forget } = useWaitingChanges(study);
  const others = studies.filter((s) => s.id !== study.id && s.head_id);
  const [from, setFrom] = useState(others.at(-1)?.id ?? "");
  const error = takeFrom.error ?? forget.error;
  return (
    <Box sx={{ maxWidth: 760, width: "100%", textAlign: "left" }}>
      <Typography variant="h2" sx={{ fontSize: "1.7rem", mb: 1 }}>
        The plan is there; its files are not yet
      </Typography>
      <Typography sx={{ color: QUIET, mb: 2 }}>
        Bring in a file for each, with the columns that the plan names. The map is there once all are.
      </Typography>
      {others.length > 0 && (
        <Box sx={{ maxWidth: 360, mb: 1 }}>
          <Pick
            label="Files that stay the same are those of"
            value={from}
            options={others.map((s) => [s.id, s.name] as const)}
            onChange={setFrom}
          />
        </Box>
      )}
      {wanted.map((one) => (
        <Box
          key={one.name}
          sx={{ display: "flex", gap: 2, alignItems: "center", borderTop: `1px solid ${RULE}`, py: 0.75 }}
        >
          <Box sx={{ flex: 1, minWidth: 0, overflowWrap: "anywhere" }}>
            {one.name} <span style={{ color: QUIET }}>{one.role}</span>
          </Box>
          {one.there ? (
            <span>is there</span>
          ) : (
            <>
              <ChooseFor study={study} wanted={one} />
              {from && (
                <Link onClick={() => takeFrom.mutate({ from, name: one.name })}>the same as there</Link>
              )}
            </>
          )}
        </Box>
      ))}
      {error && (
        <Typography role="alert" sx={{ color: MADDER, mt: 1 }}>
          {error.message}
        </Typography>
      )}
      <Box sx={{ mt: 2 }}>
        <Link onClick={() => forget.mutate()}>do without that plan, and begin with the files alone</Link>
      </Box>
    </Box>
  );
}

function ChooseFor({ study, wanted }: { study: Study; wanted: WaitedFor }) {
  const input = useRef<HTMLInputElement>(null);
  const known = useAnswer(useSources(study));
  return (
    <>
      <Button size="small" variant="outlined" disabled={!known} onClick={() => input.current!.click()}>
        Choose a file
      </Button>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        aria-label={`A file for ${wanted.name}`}
        onChange={(event) => {
          if (known) void take(study.id, [...(event.target.files ?? [])], known, wanted);
          event.target.value = "";
        }}
      />
    </>
  );
}
