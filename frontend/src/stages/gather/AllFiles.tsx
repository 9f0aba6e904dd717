/** All files that came together: one line each with what it is taken for, and one press to bring them in. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { Source, Study } from "../../api/client";
import { plural } from "../../format";
import { Answer } from "../../parts/Answer";
import { Pick } from "../../parts/Fields";
import { PlacesPicture } from "../../parts/PlacesPicture";
import { Link } from "../../parts/parts";
import { type Choices, ROLES, rolesFor, undecided } from "../../plan/choices";
import { bringAllIn, type Incoming, lookAgain, takeTogether, useIncoming } from "../../state/incoming";
import { useSources } from "../../state/queries";
import { useSmall } from "../../state/window";
import { INK, MADDER, QUIET, RULE } from "../../theme";
import { isText } from "./HowWritten";
import { JobProgress, Sending } from "./progress";

export function AllFiles({ study }: { study: Study }) {
  return (
    <Answer of={useSources(study)} inset>
      {(sources) => <Lines study={study} sources={sources} />}
    </Answer>
  );
}

function Lines({ study, sources }: { study: Study; sources: readonly Source[] }) {
  const cache = useQueryClient();
  const { files, areas, countIn, bringing, comparing, uncompared } = useIncoming();
  const mine = files.filter((f) => f.study === study.id);
  const zones = mine.filter((f) => f.choices?.role === "zones").map((f) => f.choices!.name);
  const hasZones = zones.length > 0 || sources.some((s) => s.role === "zones");
  const questions = (f: Incoming) => (f.look && f.choices ? undecided(f.look, f.choices, hasZones) : []);
  const coming = mine.filter((f) => f.stage === "sending" || f.stage === "looking").length;
  const failed = mine.filter((f) => f.stage === "failed").length;
  const asking = mine.filter((f) => questions(f).length > 0).length;
  const ready = mine.length - coming - failed;
  const open = [
    coming > 0 && `${plural(coming, "file")} still on the way.`,
    failed > 0 && `${plural(failed, "file")} cannot be read: leave it out, or mend it and drop it again.`,
    asking > 0 && `${plural(asking, "file")} ${asking > 1 ? "ask" : "asks"} something first.`,
  ].filter((sentence) => typeof sentence === "string");
  const working = bringing !== null && !bringing.says;
  return (
    <Box
      sx={{
        flex: 1,
        minHeight: 0,
        display: "flex",
        flexDirection: "column",
        borderTop: `3px double ${INK}`,
      }}
    >
      <Box component="ul" aria-label="Files" sx={{ flex: 1, overflowY: "auto", m: 0, px: 2, py: 0 }}>
        {mine.map((f) => (
          <Line key={f.id} file={f} sources={sources} questions={questions(f)} busy={working} />
        ))}
      </Box>
      <Box sx={{ borderTop: `3px double ${INK}`, p: 2 }}>
        {open.map((sentence) => (
          <Typography key={sentence} sx={{ color: MADDER, mb: 0.5 }}>
            {sentence}
          </Typography>
        ))}
        {uncompared && (
          <Typography role="alert" sx={{ color: MADDER, mb: 1 }}>
            They could not be compared with each other: {uncompared}{" "}
            <Link onClick={() => takeTogether(study.id)}>Compare them again</Link>
          </Typography>
        )}
        {bringing?.says && (
          <Typography role="alert" sx={{ color: MADDER, mb: 1 }}>
            {bringing.says}
          </Typography>
        )}
        {working ? (
          <Box sx={{ maxWidth: 480 }}>
            <JobProgress job={bringing.job} begun={bringing.begun} />
          </Box>
        ) : (
          <Box sx={{ display: "flex", alignItems: "center", flexWrap: "wrap", gap: 2 }}>
            <Button
              variant="contained"
              disableElevation
              disabled={open.length > 0 || ready === 0 || comparing}
              onClick={() => bringAllIn(study.id, () => void cache.invalidateQueries())}
            >
              Bring all in
            </Button>
            {comparing && <span role="status">Comparing them with each other…</span>}
            {zones.length > 1 && (
              <Box sx={{ width: 280 }}>
                <Pick
                  label="Count in"
                  value={areas}
                  options={[["", "the likelier of them"], ...zones.map((z) => [z, z] as const)]}
                  onChange={countIn}
                />
              </Box>
            )}
          </Box>
        )}
      </Box>
    </Box>
  );
}

interface LineProps {
  file: Incoming;
  sources: readonly Source[];
  questions: readonly string[];
  busy: boolean;
}

function Line({ file, sources, questions, busy }: LineProps) {
  const small = useSmall();
  const { choose, show, forget } = useIncoming();
  const { look, choices } = file;
  return (
    <Box
      component="li"
      sx={{
        listStyle: "none",
        display: "grid",
        gridTemplateColumns: small ? "1fr" : "minmax(180px, 240px) 270px 1fr auto",
        columnGap: 3,
        rowGap: 0.5,
        alignItems: "start",
        borderBottom: `1px solid ${RULE}`,
        py: 1.25,
      }}
    >
      <Box sx={{ minWidth: 0 }}>
        <Box sx={{ fontWeight: 600, overflowWrap: "anywhere" }}>{file.name}</Box>
        {look && (
          <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>
            {plural(look.rows, look.kind === "vector" ? "feature" : "row")},{" "}
            {plural(look.columns.length, "column")}
          </Box>
        )}
      </Box>
      {look && choices ? (
        <>
          <Pick
            label="What it is"
            value={choices.role}
            options={ROLES.filter(([role]) => rolesFor(look).includes(role))}
            onChange={(role) => choose(file.id, { role })}
          />
          <Box>
            {file.taken && file.taken.role === choices.role && <Box>{sentence(file.taken.says)}</Box>}
            {look.twin && <Doubt>The study holds these very bytes already, as “{look.twin}”.</Doubt>}
            {choices.alike && (
              <Alike choices={choices} set={(change: Partial<Choices>) => choose(file.id, change)} />
            )}
            {file.taken?.doubts.map((doubt) => (
              <Doubt key={doubt}>{doubt}</Doubt>
            ))}
            {file.taken?.apart && (
              <Box sx={{ display: "flex", alignItems: "end", gap: 1.5, my: 0.5, fontSize: "0.8125rem" }}>
                <PlacesPicture {...file.taken.apart} width={220} height={120} />
                <span>squares: areas; dots: records</span>
              </Box>
            )}
            {questions
              .filter((question) => !choices.alike || !question.includes(`“${choices.alike}”`))
              .map((question) => (
                <Doubt key={question}>
                  {question} <Link onClick={() => show(file.id)}>Answer it</Link>
                </Doubt>
              ))}
            {file.says && <Doubt>{file.says}</Doubt>}
          </Box>
        </>
      ) : file.stage === "failed" ? (
        <Box sx={{ gridColumn: small ? undefined : "2 / 4" }}>
          <Typography role="alert" sx={{ color: MADDER }}>
            {file.says}
          </Typography>
          {file.late && <Link onClick={() => lookAgain(file.id, {}, sources)}>Look again</Link>}
          {isText(file.name) && <Link onClick={() => show(file.id)}>Say how it is written</Link>}
        </Box>
      ) : (
        <Box sx={{ gridColumn: small ? undefined : "2 / 4" }}>
          <Sending file={file} />
        </Box>
      )}
      {!busy && (
        <Box sx={{ display: "flex", gap: 1.5, whiteSpace: "nowrap" }}>
          {look && <Link onClick={() => show(file.id)}>look closer</Link>}
          <Link onClick={() => forget(file.id)}>leave it out</Link>
        </Box>
      )}
    </Box>
  );
}

const sentence = (words: string) => `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;

function Doubt({ children }: { children: ReactNode }) {
  return <Box sx={{ color: MADDER }}>{children}</Box>;
}

/** A file of the same columns as a source that is there: in its place, or beside it? */
export function Alike({ choices, set }: { choices: Choices; set: (change: Partial<Choices>) => void }) {
  const { alike } = choices;
  if (!alike) return null;
  return (
    <Box sx={{ my: 0.5 }}>
      It has the same columns as “{alike}”.
      <Box sx={{ display: "flex", gap: 1, mt: 0.5 }}>
        <Button
          size="small"
          variant="outlined"
          onClick={() => set({ name: alike, replaces: true, alike: null })}
        >
          Put it in its place
        </Button>
        <Button size="small" variant="outlined" onClick={() => set({ alike: null })}>
          Keep it beside
        </Button>
      </Box>
    </Box>
  );
}
