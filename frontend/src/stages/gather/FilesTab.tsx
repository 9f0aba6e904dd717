/** The study's files: what each is for, what is known of it, and the way to bring in more. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Refusal, type Source, type Study, type View } from "../../api/client";
import { bytes, plural } from "../../format";
import { Answer, ToStage } from "../../parts/Answer";
import { Pick } from "../../parts/Fields";
import { KeptField } from "../../parts/KeptField";
import { Link, Quiet } from "../../parts/parts";
import { FACTS, ofEvents, ROLES } from "../../plan/choices";
import { mappedEvents } from "../../plan/mapped";
import { mapEvents } from "../../plan/measures";
import type { Events } from "../../plan/types";
import { useAnswer } from "../../state/asked";
import { chooseAnew } from "../../state/incoming";
import { useRemoveSource } from "../../state/keeping";
import { type Save, useDescribeSource, usePlans, useSources } from "../../state/queries";
import { MADDER, QUIET, RULE } from "../../theme";
import { ChooseFiles } from "./ChooseFiles";

export function FilesTab({ study, view, save }: { study: Study; view: View; save: Save }) {
  return (
    <>
      <ChooseFiles study={study} />
      <Quiet>Or drop them anywhere on the window. A file itself is never changed.</Quiet>
      <Answer of={useSources(study)}>
        {(sources) =>
          sources.map((source) => (
            <OneSource key={source.id} study={study} view={view} source={source} save={save} />
          ))
        }
      </Answer>
    </>
  );
}

function OneSource(props: { study: Study; view: View; source: Source; save: Save }) {
  const { study, view, source, save } = props;
  const describe = useDescribeSource(study);
  const mapped = mappedEvents(view.plan).source === source.name;
  const planned = Object.entries(view.plan.gather.events).find(([, e]) => e.source === source.name);
  const roles = ROLES.filter(([r]) => (r === "zones" || r === "reference") === isOfShapes(source));
  const facts = source.facts as Record<string, unknown>;
  const put = (key: string, text: string) => describe.mutate({ id: source.id, facts: { [key]: text } });
  // As they are in the plan; else as they were in an earlier one, filter and all; else as they were brought in.
  const versions = useAnswer(usePlans(study))?.versions;
  const before = versions
    ?.flatMap((v) => Object.values(v.document.gather.events))
    .findLast((e) => e.source === source.name);
  const events = planned?.[1] ?? (versions && (before ?? (facts.events as Events | undefined)));
  const useIt = () =>
    save((plan) => {
      if (events) mapEvents(plan, planned?.[0] ?? source.name, events);
    });
  return (
    <Box component="details" sx={{ borderTop: `1px solid ${RULE}`, mt: 1, pt: 0.75 }}>
      <Box component="summary" sx={{ cursor: "pointer" }}>
        <b>{source.name}</b>{" "}
        <span style={{ color: QUIET }}>
          {mapped ? "events on the map" : planned ? "events in the study" : source.role}
        </span>
      </Box>
      <Quiet>
        {source.file_name}, {bytes(source.byte_count)}, {plural(source.columns.length, "column")}
      </Quiet>
      {source.upload_id && (
        <Button size="small" sx={{ mt: 1, mr: 1 }} onClick={() => void chooseAnew(study.id, source)}>
          Choose anew how it is read
        </Button>
      )}
      {ofEvents(source.role) && !mapped && events && (
        <Button size="small" variant="outlined" sx={{ mt: 1 }} onClick={useIt}>
          Map these events
        </Button>
      )}
      <Pick
        label="What it is"
        value={source.role}
        options={roles}
        onChange={(role) => describe.mutate({ id: source.id, role })}
      />
      {FACTS.map(([key, label]) => (
        <KeptField
          key={key}
          label={label}
          value={String(facts[key] ?? "")}
          onKeep={(text) => put(key, text)}
        />
      ))}
      <Remove study={study} source={source} />
      {describe.error && (
        <Typography role="alert" sx={{ color: MADDER }}>
          {describe.error.message}
        </Typography>
      )}
    </Box>
  );
}

/** Taken out for good, where no plan in use needs it; asked once. */
function Remove({ study, source }: { study: Study; source: Source }) {
  const [asking, setAsking] = useState(false);
  const remove = useRemoveSource(study);
  return (
    <Box sx={{ mt: 1 }}>
      {asking ? (
        <>
          <Box sx={{ color: MADDER }}>
            “{source.name}” and its file ({bytes(source.byte_count)}) go for good; older versions of the plan
            that need it cannot be worked out any more.
          </Box>
          <Box sx={{ display: "flex", gap: 2 }}>
            <Link onClick={() => remove.mutate(source.id, { onError: () => setAsking(false) })}>
              take it out
            </Link>
            <Link onClick={() => setAsking(false)}>keep it</Link>
          </Box>
        </>
      ) : (
        <Link onClick={() => setAsking(true)}>take this source out</Link>
      )}
      {remove.error && (
        <Typography role="alert" sx={{ color: MADDER }}>
          {remove.error.message} <ToStage stage={remove.error instanceof Refusal ? remove.error.stage : ""} />
        </Typography>
      )}
    </Box>
  );
}

function isOfShapes(source: Source): boolean {
  return source.role === "zones" || source.role === "reference";
}
