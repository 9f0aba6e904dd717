/** All studies: what each looks like and holds, and what can be done with it. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { bytes, moment, plural } from "../format";
import { Answer } from "../parts/Answer";
import { Notices } from "../parts/Notices";
import { Link, Unfold } from "../parts/parts";
import { type KeptStudy, OPENED, useKeeping, useKeptStudies } from "../state/keeping";
import { useSources } from "../state/queries";
import { useDoing } from "../state/store";
import { INK, MADDER, PAPER, QUIET, RULE, WATER } from "../theme";
import { NameStudy } from "./NameStudy";

export function Studies({ open }: { open: string | undefined }) {
  const set = useDoing((d) => d.set);
  const all = useKeptStudies();
  const [naming, setNaming] = useState(false);
  return (
    <Box sx={{ height: "100vh", display: "flex", flexDirection: "column", bgcolor: PAPER }}>
      <Notices />
      <Box
        component="header"
        sx={{ display: "flex", alignItems: "baseline", gap: 2, px: 2, pt: 1, pb: 0.5, flexWrap: "wrap" }}
      >
        <Typography variant="h1">Steady Tally</Typography>
        <Typography variant="h2">All studies</Typography>
        <Box sx={{ flexGrow: 1 }} />
        {naming ? (
          <NameStudy onDone={() => setNaming(false)} />
        ) : (
          <Button size="small" variant="outlined" onClick={() => setNaming(true)}>
            Begin a study
          </Button>
        )}
        <Button size="small" onClick={() => set({ keeping: false })}>
          {open ? "Back to the map" : "Back"}
        </Button>
      </Box>
      <Box component="main" sx={{ flex: 1, minHeight: 0, overflowY: "auto", borderTop: `3px double ${INK}` }}>
        <Answer of={all} awaited="Looking them up…" inset>
          {(studies) =>
            studies.length ? (
              studies.map((one) => <OneStudy key={one.study.id} one={one} open={one.study.id === open} />)
            ) : (
              <Box sx={{ p: 4, color: QUIET }}>There is no study yet.</Box>
            )
          }
        </Answer>
      </Box>
    </Box>
  );
}

type Asking = "rename" | "copy" | "begin" | "delete" | null;

function OneStudy({ one, open }: { one: KeptStudy; open: boolean }) {
  const { study } = one;
  const set = useDoing((d) => d.set);
  const { rename, copy, begin, remove } = useKeeping(study);
  const [asking, setAsking] = useState<Asking>(null);
  const error = rename.error ?? copy.error ?? begin.error ?? remove.error;
  const close = () => setAsking(null);
  const show = () => set({ ...OPENED, study: study.id });
  return (
    <Box
      component="article"
      aria-label={study.name}
      sx={{ display: "flex", gap: 3, px: 2, py: 1.5, borderBottom: `1px solid ${RULE}` }}
    >
      <SmallMap key={study.head_id} one={one} show={show} />
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="h2" sx={{ overflowWrap: "anywhere" }}>
          {study.name}
        </Typography>
        <Box sx={{ color: QUIET }}>
          {open && "open now, "}changed {moment(one.changed_at)}
        </Box>
        <Box>
          {plural(one.sources, "source")}, {bytes(one.byte_count)}
          {one.retired > 0 && ` with ${plural(one.retired, "file")} that newer ones have taken the place of`}
          {" · "}
          {plural(one.versions, "version")} of the plan · {plural(one.figures, "page")} to publish
        </Box>
        {asking === null && (
          <Box sx={{ display: "flex", gap: 2, mt: 1, flexWrap: "wrap" }}>
            <Link onClick={show}>open</Link>
            <Link onClick={() => setAsking("rename")}>rename</Link>
            <Link onClick={() => setAsking("copy")}>copy</Link>
            {study.head_id && (
              <Link onClick={() => setAsking("begin")}>begin one with this plan and other files</Link>
            )}
            <Link onClick={() => setAsking("delete")}>delete</Link>
          </Box>
        )}
        {asking === "rename" && (
          <Naming
            first={study.name}
            says="Rename"
            onNo={close}
            onYes={(name) => rename.mutate(name, { onSuccess: close })}
          />
        )}
        {asking === "copy" && (
          <Naming
            first={`${study.name}, copy`}
            says="Copy"
            onNo={close}
            onYes={(name) => copy.mutate(name, { onSuccess: close })}
          />
        )}
        {asking === "begin" && (
          <Naming first="" says="Begin" onNo={close} onYes={(name) => begin.mutate(name)} />
        )}
        {asking === "delete" && (
          <Box role="alertdialog" aria-label={`Delete ${study.name}`} sx={{ mt: 1 }}>
            <Box sx={{ color: MADDER, mb: 1 }}>
              Its {plural(one.sources + one.retired, "source")} ({bytes(one.byte_count)} of files),{" "}
              {plural(one.versions, "version")} of the plan and {plural(one.figures, "page")} go for good.
            </Box>
            <Box sx={{ display: "flex", gap: 1 }}>
              <Button
                size="small"
                variant="contained"
                disableElevation
                disabled={remove.isPending}
                onClick={() => remove.mutate(undefined, { onError: close })}
              >
                Delete it
              </Button>
              <Button size="small" onClick={close}>
                Keep it
              </Button>
            </Box>
          </Box>
        )}
        {error && (
          <Box role="alert" sx={{ color: MADDER, mt: 0.5 }}>
            {error.message}
          </Box>
        )}
        <Unfold title="Sources and their size">
          <Sources one={one} />
        </Unfold>
      </Box>
    </Box>
  );
}

const FRAME = { width: 200, height: 150, flexShrink: 0, bgcolor: WATER, border: `1px solid ${RULE}` };

function SmallMap({ one, show }: { one: KeptStudy; show: () => void }) {
  const [state, setState] = useState<"awaited" | "drawn" | "failed">("awaited");
  if (state === "failed")
    return (
      <Box role="alert" sx={{ ...FRAME, color: MADDER, fontSize: "0.8125rem", p: 1 }}>
        Its picture did not come. <Link onClick={() => setState("awaited")}>Try again</Link>
      </Box>
    );
  const says = one.waits ? "waits for its files" : "no map yet";
  return (
    <ButtonBase aria-label={`Open ${one.study.name}`} onClick={show} sx={{ ...FRAME, position: "relative" }}>
      {state === "awaited" && (
        <Box role="status" sx={{ position: "absolute", color: QUIET, fontSize: "0.8125rem", px: 1 }}>
          {one.study.head_id ? "Drawing it…" : says}
        </Box>
      )}
      {one.study.head_id && (
        <img
          // A new plan has a new picture.
          src={`/api/studies/${one.study.id}/picture?plan=${one.study.head_id}`}
          alt=""
          loading="lazy"
          onLoad={() => setState("drawn")}
          onError={() => setState("failed")}
          style={{ width: "100%", height: "100%", display: "block", objectFit: "contain" }}
        />
      )}
    </ButtonBase>
  );
}

function Sources({ one }: { one: KeptStudy }) {
  return (
    <Answer of={useSources(one.study)}>
      {(sources) => (
        <Box component="table" sx={{ fontSize: "0.8125rem", borderSpacing: "1rem 0", ml: -2 }}>
          <tbody>
            {sources.map((s) => (
              <tr key={s.id}>
                <td>{s.name}</td>
                <td style={{ color: QUIET }}>{s.role}</td>
                <td style={{ color: QUIET, textAlign: "right" }}>{bytes(s.byte_count)}</td>
                <td style={{ color: QUIET }}>{s.file_name}</td>
              </tr>
            ))}
          </tbody>
        </Box>
      )}
    </Answer>
  );
}

function Naming(props: { first: string; says: string; onYes: (name: string) => void; onNo: () => void }) {
  const [name, setName] = useState(props.first);
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, alignItems: "center", mt: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) props.onYes(name.trim());
      }}
    >
      <TextField
        size="small"
        label="Name of the study"
        value={name}
        autoFocus
        slotProps={{ htmlInput: { maxLength: 200 } }}
        onChange={(event) => setName(event.target.value)}
      />
      <Button type="submit" variant="outlined" disabled={!name.trim()}>
        {props.says}
      </Button>
      <Button onClick={props.onNo}>Not now</Button>
    </Box>
  );
}
