/** What was asked of the server, in its place on the page or at the head of its room: known, awaited, or failed. */
import Box from "@mui/material/Box";
import { type ReactNode, useEffect, useState } from "react";
import { useStore } from "zustand";
import { Asked, type Standing, useRoom } from "../state/asked";
import { STAGES, useParts } from "../state/store";
import { MADDER, QUIET } from "../theme";
import { Link } from "./parts";

/** What takes no longer is not said to be awaited. */
const SLOW_MS = 700;

interface Props<T> {
  of: Asked<T>;
  /** What is said while it is on its way. */
  awaited?: string;
  /** It stands at the edge of the page. */
  inset?: boolean;
  children: (value: T) => ReactNode;
}

/** What is made of an answer; in its place, why there is none, and the way to ask again. */
export function Answer<T>({ of, awaited = "Looking it up…", inset, children }: Props<T>) {
  const px = inset ? 2 : 0;
  const value = Asked.known(of);
  return (
    <>
      {of.failed !== null && <Failed what={of.what} says={of.failed} again={of.again} px={px} />}
      {value !== undefined
        ? children(value)
        : of.failed === null &&
          of.asking && (
            <Box role="status" sx={{ color: QUIET, mt: 1, px, fontSize: "0.8125rem" }}>
              {awaited}
            </Box>
          )}
    </>
  );
}

interface FailedProps {
  what: string;
  says: string;
  stage?: string;
  again?: () => void;
  leave?: () => void;
  px?: number;
}

function Failed({ what, says, stage, again, leave, px = 0 }: FailedProps) {
  return (
    <Box role="alert" sx={{ color: MADDER, my: 1, px, fontSize: "0.8125rem", overflowWrap: "anywhere" }}>
      {what}: {says} <ToStage stage={stage} /> {again && <Link onClick={again}>Try again</Link>}{" "}
      {leave && <Link onClick={leave}>put away</Link>}
    </Box>
  );
}

/** The way to the sheet on which something is put right, where another one is open. */
export function ToStage({ stage: named }: { stage?: string }) {
  const { sheet, set } = useParts("sheet", "set");
  const stage = STAGES.find((s) => s === named);
  if (!stage || sheet === stage) return null;
  return <Link onClick={() => set({ sheet: stage })}>Open {stage[0].toUpperCase() + stage.slice(1)}</Link>;
}

/** What is not known in this room and said nowhere else in it. */
export function Unanswered() {
  const all = useStore(useRoom());
  const slow = useLater([...all.values()].some((s) => s.failed === null));
  const standing = [...all.values()];
  const awaited = [...new Set(standing.filter((s) => s.failed === null).map((s) => s.what))];
  return (
    <>
      {together(standing).map(({ says, ...failed }) => (
        <Failed key={says} says={says} {...failed} />
      ))}
      {slow && awaited.length > 0 && (
        <Box role="status" sx={{ color: QUIET, fontSize: "0.8125rem" }}>
          {joined(awaited)}: looking it up…
        </Box>
      )}
    </>
  );
}

/** What failed for the same reason is said in one sentence. */
function together(all: readonly Standing[]) {
  const by = new Map<string, Standing[]>();
  for (const one of all) if (one.failed !== null) by.set(one.failed, [...(by.get(one.failed) ?? []), one]);
  const each = (does: readonly (undefined | (() => void))[]) =>
    does.some(Boolean) ? () => does.map((one) => one?.()) : undefined;
  return [...by].map(([says, those]) => ({
    what: joined([...new Set(those.map((one) => one.what))]),
    says,
    stage: those.find((one) => one.stage)?.stage,
    again: each(those.map((one) => one.again)),
    leave: each(those.map((one) => one.leave)),
  }));
}

/** "The files, the earlier plans". */
function joined(names: readonly string[]): string {
  return names.map((name, at) => (at ? name[0].toLowerCase() + name.slice(1) : name)).join(", ");
}

function useLater(waits: boolean): boolean {
  const [late, setLate] = useState(false);
  useEffect(() => {
    setLate(false);
    if (!waits) return;
    const timer = setTimeout(() => setLate(true), SLOW_MS);
    return () => clearTimeout(timer);
  }, [waits]);
  return late;
}
