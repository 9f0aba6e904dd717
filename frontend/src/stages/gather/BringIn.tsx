/** Bringing files in: choices on the left, real rows on the right, what is still open in words. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Dialog from "@mui/material/Dialog";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import type { Look, Schemas, Source, Study } from "../../api/client";
import { plural, whole } from "../../format";
import { Answer } from "../../parts/Answer";
import { type Choices, ofEvents, undecided, usesOf } from "../../plan/choices";
import { bringIn, type Incoming, lookAgain, TOGETHER, useIncoming } from "../../state/incoming";
import { useSources } from "../../state/queries";
import { useSmall } from "../../state/window";
import { INK, MADDER, PAPER, QUIET, RULE, WATER } from "../../theme";
import { AllFiles } from "./AllFiles";
import { ChoicesForm } from "./ChoicesForm";
import { HowWritten, isText } from "./HowWritten";
import { JobProgress, Sending } from "./progress";

/** Files that are read a piece at a time, so that a beginning of them is soon read. */
const STREAMED = /\.(csv|tsv|tab|txt|psv|gz|parquet|geoparquet)$/i;

/** Where all that came together is seen. */
const ALL = { id: TOGETHER, name: "All files", stage: "ready" } as const;

export function BringIn({ study }: { study: Study }) {
  const { files, open, show, forget } = useIncoming();
  const file = files.find((f) => f.id === open);
  const together = open === TOGETHER && files.length > 0;
  if (!file && !together) return null;
  return (
    <Dialog
      open
      fullScreen
      onClose={() => show(null)}
      slotProps={{
        paper: {
          "aria-label": "Bring files in",
          sx: { bgcolor: PAPER, display: "flex", flexDirection: "column" },
        },
      }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 3, px: 2, pt: 1.25, pb: 0.75 }}>
        <Typography variant="h1">Bring files in</Typography>
        <Box
          sx={{ display: "flex", gap: 2, flex: 1, overflowX: "auto" }}
          role="group"
          aria-label="Which file"
        >
          {[...(files.length > 1 ? [ALL] : []), ...files].map((f) => (
            <ButtonBase
              key={f.id}
              aria-pressed={f.id === open}
              onClick={() => show(f.id)}
              sx={{
                font: "inherit",
                whiteSpace: "nowrap",
                borderBottom: f.id === open ? `2px solid ${INK}` : "2px solid transparent",
                color: f.stage === "failed" ? MADDER : undefined,
              }}
            >
              {f.name}
            </ButtonBase>
          ))}
        </Box>
        <Button size="small" onClick={() => show(null)}>
          Back to the map
        </Button>
      </Box>
      {file ? (
        <OneFile key={file.id} study={study} file={file} forget={() => forget(file.id)} />
      ) : (
        <AllFiles study={study} />
      )}
    </Dialog>
  );
}

interface OneFileProps {
  study: Study;
  file: Incoming;
  forget: () => void;
}

function OneFile(props: OneFileProps) {
  return (
    <Answer of={useSources(props.study)} inset>
      {(sources) => <WithSources {...props} sources={sources} />}
    </Answer>
  );
}

function WithSources({ file, forget, sources }: OneFileProps & { sources: readonly Source[] }) {
  const cache = useQueryClient();
  const small = useSmall();
  const zonesCome = useIncoming((s) => s.files.some((f) => f.choices?.role === "zones"));
  const { look, choices } = file;
  const bring = () =>
    // A file that took another's place changes what the same plan comes to: everything is asked for again.
    bringIn(file.id, () => void cache.invalidateQueries());
  if (!look || !choices) {
    return (
      <Box sx={{ flex: 1, borderTop: `3px double ${INK}` }}>
        <Box sx={{ p: 4, maxWidth: 720 }}>
          {file.stage === "failed" ? (
            <>
              <Typography role="alert" sx={{ color: MADDER, mb: 2 }}>
                {file.says}
              </Typography>
              {isText(file.name) && <HowWritten file={file} sources={sources} />}
              <Box sx={{ display: "flex", gap: 1 }}>
                {file.late && STREAMED.test(file.name) && (
                  <Button
                    variant="contained"
                    disableElevation
                    size="small"
                    onClick={() => lookAgain(file.id, {}, sources, true)}
                  >
                    Look at its beginning alone
                  </Button>
                )}
                {file.late && (
                  <Button variant="outlined" size="small" onClick={() => lookAgain(file.id, {}, sources)}>
                    Look again
                  </Button>
                )}
                <Button variant="outlined" size="small" onClick={forget}>
                  Leave it out
                </Button>
              </Box>
            </>
          ) : (
            <>
              <Sending file={file} />
              {file.stage === "looking" && (
                <Button variant="outlined" size="small" sx={{ mt: 2 }} onClick={forget}>
                  Leave it out
                </Button>
              )}
            </>
          )}
        </Box>
      </Box>
    );
  }
  const open = undecided(look, choices, zonesCome || sources.some((s) => s.role === "zones"));
  const busy = file.stage !== "ready";
  return (
    <Box
      sx={{
        flex: 1,
        minHeight: 0,
        display: "flex",
        borderTop: `3px double ${INK}`,
        ...(small && { flexDirection: "column", overflowY: "auto", "& > *": { flexShrink: 0 } }),
      }}
    >
      <Box
        sx={{
          width: small ? "auto" : 400,
          flexShrink: 0,
          display: "flex",
          flexDirection: "column",
          borderRight: `1px solid ${INK}`,
        }}
      >
        <Box sx={{ flex: 1, overflowY: "auto", p: 2 }}>
          <ChoicesForm file={file} look={look} choices={choices} sources={sources} />
        </Box>
        <Box sx={{ borderTop: `3px double ${INK}`, p: 2 }}>
          {open.map((sentence) => (
            <Typography key={sentence} sx={{ color: MADDER, mb: 0.5 }}>
              {sentence}
            </Typography>
          ))}
          {file.says && (
            <Typography role="alert" sx={{ color: MADDER, mb: 1 }}>
              {file.says}
            </Typography>
          )}
          {file.stage === "bringing" ? (
            <JobProgress job={file.job} begun={file.begun} />
          ) : (
            <Box sx={{ display: "flex", gap: 1 }}>
              <Button variant="contained" disableElevation disabled={open.length > 0 || busy} onClick={bring}>
                {file.again
                  ? "Read it so"
                  : choices.replaces
                    ? `Let it take the place of “${choices.name}”`
                    : "Bring it in"}
              </Button>
              <Button onClick={forget}>Leave it out</Button>
            </Box>
          )}
        </Box>
      </Box>
      <Preview look={look} choices={choices} busy={file.stage === "looking"} />
    </Box>
  );
}

function Preview({ look, choices, busy }: { look: Look; choices: Choices; busy: boolean }) {
  const uses = usesOf(choices);
  // What is used stands in front, so that it is seen without scrolling.
  const order = [...look.columns.keys()].sort(
    (a, b) => Number(uses.has(look.columns[b].name)) - Number(uses.has(look.columns[a].name)) || a - b,
  );
  const choose = useIncoming((s) => s.choose);
  const open = useIncoming((s) => s.open)!;
  const leave = (name: string) => {
    const left = choices.left.includes(name)
      ? choices.left.filter((n) => n !== name)
      : [...choices.left, name];
    choose(open, { left });
  };
  return (
    <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column", opacity: busy ? 0.5 : 1 }}>
      <Box sx={{ px: 2, py: 1.25 }}>
        <Box sx={{ fontSize: "1.1rem" }}>
          {plural(look.rows, look.kind === "vector" ? "feature" : "row")},{" "}
          {plural(look.columns.length, "column")}
          {Object.keys(look.shapes).length > 0 &&
            ` (${Object.entries(look.shapes)
              .map(([k, n]) => (k === "none" ? `${whole(n)} without geometry` : plural(n, k)))
              .join(", ")})`}
        </Box>
        {look.twin && (
          <Typography sx={{ color: MADDER }}>
            The study holds these very bytes already, as “{look.twin}”.
          </Typography>
        )}
        {look.said.map((sentence) => (
          <Typography key={sentence} sx={{ color: QUIET, fontSize: "0.8125rem" }}>
            {sentence}
          </Typography>
        ))}
        {ofEvents(choices.role) &&
          choices.coordinates?.kind === "none" &&
          statedSays(look, choices.stated) && (
            <Typography sx={{ fontSize: "0.8125rem" }}>{statedSays(look, choices.stated)}</Typography>
          )}
        {choices.role === "table" && look.totals.length > 0 && (
          <Typography sx={{ fontSize: "0.8125rem" }}>
            The rows with {look.totals.map((t) => `${t.column} “${(t.values as string[])[0]}”`).join(", ")}{" "}
            are the sum of the others; they will be left out of every sum.
          </Typography>
        )}
      </Box>
      {look.picture && <ShapesPicture picture={look.picture} />}
      <Box
        sx={{ flex: 1, overflow: "auto", borderTop: `1px solid ${INK}` }}
        tabIndex={0}
        role="region"
        aria-label="First rows"
      >
        <Box
          component="table"
          sx={{ borderCollapse: "collapse", fontSize: "0.8125rem", whiteSpace: "nowrap" }}
        >
          <thead>
            <tr>
              {order
                .map((at) => look.columns[at])
                .map((c) => (
                  <Box
                    component="th"
                    key={c.name}
                    scope="col"
                    sx={{
                      textAlign: c.kind === "number" ? "right" : "left",
                      px: 1.25,
                      py: 0.75,
                      position: "sticky",
                      top: 0,
                      bgcolor: PAPER,
                      borderBottom: `1px solid ${INK}`,
                      color: choices.left.includes(c.name) ? QUIET : INK,
                      verticalAlign: "bottom",
                      fontWeight: 600,
                    }}
                  >
                    <Box sx={{ fontWeight: 400, fontSize: "0.75rem", color: uses.has(c.name) ? INK : QUIET }}>
                      {uses.get(c.name) ?? c.kind}
                    </Box>
                    {c.name}
                    {ofEvents(choices.role) && !uses.has(c.name) && (
                      <ButtonBase
                        onClick={() => leave(c.name)}
                        aria-label={`${choices.left.includes(c.name) ? "Keep" : "Leave out"} ${c.name}`}
                        sx={{
                          font: "inherit",
                          fontWeight: 400,
                          fontSize: "0.75rem",
                          color: QUIET,
                          textDecoration: "underline",
                          ml: 0.75,
                        }}
                      >
                        {choices.left.includes(c.name) ? "keep" : "leave out"}
                      </ButtonBase>
                    )}
                  </Box>
                ))}
            </tr>
          </thead>
          <tbody>
            {look.first.map((row, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the first rows never move
              <tr key={i}>
                {order.map((c) => (
                  <Box
                    component="td"
                    key={c}
                    sx={{
                      px: 1.25,
                      py: 0.4,
                      borderBottom: `1px solid ${RULE}`,
                      textAlign: look.columns[c]?.kind === "number" ? "right" : "left",
                      color: choices.left.includes(look.columns[c]?.name) ? "#9AA1A7" : INK,
                      maxWidth: 260,
                      overflow: "hidden",
                      textOverflow: "ellipsis",
                    }}
                  >
                    {row[c] === null ? "" : String(row[c])}
                  </Box>
                ))}
              </tr>
            ))}
          </tbody>
        </Box>
      </Box>
    </Box>
  );
}

/** How far a column names the study's areas. */
function statedSays(look: Look, column: string | null): string {
  const found = look.stated.find((s) => s.column === column);
  if (!found) return "";
  return `“${found.column}” names areas of “${found.zones}” in ${Math.round(100 * found.share)} % of the rows that were looked at.`;
}

/** What the shapes of a file look like, before it is brought in. */
function ShapesPicture({ picture }: { picture: Schemas["PictureOfShapes"] }) {
  const d = picture.lines
    .map((line) => `M${line.map((n, i) => (i % 2 ? `,${n}` : `${i ? "L" : ""}${n}`)).join("")}`)
    .join("");
  return (
    <Box
      sx={{ borderTop: `1px solid ${INK}`, bgcolor: WATER, display: "flex", justifyContent: "center", p: 1 }}
    >
      <svg
        role="img"
        aria-label="The shapes of the file"
        viewBox={`-0.01 -0.01 ${picture.width + 0.02} 1.02`}
        style={{ height: 260, maxWidth: "100%" }}
      >
        <path
          d={d}
          fill={PAPER}
          fillRule="evenodd"
          stroke={INK}
          strokeWidth={1}
          vectorEffect="non-scaling-stroke"
        />
      </svg>
    </Box>
  );
}
