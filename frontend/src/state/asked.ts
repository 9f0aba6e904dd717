/**
 * What was asked of the server. It is not asked yet, being asked for, failed, or there; and it is read through what says
 * so: `Answer`, in its place on the page, or `useAnswer`, for which the room says it. There is no third way to read it.
 */
import {
  type QueryKey,
  type UseQueryOptions,
  type UseQueryResult,
  useMutation,
  useQueries,
  useQuery,
} from "@tanstack/react-query";
import { createContext, useContext, useEffect, useId, useMemo, useRef } from "react";
import { createStore, type StoreApi } from "zustand/vanilla";
import { Refusal } from "../api/client";

const RECOVERS_MS = 2_000;

/** What stands in the way of an answer, as a room keeps it. */
export interface Standing {
  /** What was asked for: "The study's files". */
  what: string;
  /** Why it failed; null while it is asked for. */
  failed: string | null;
  /** The stage at which it is put right, if it is at one. */
  stage?: string;
  /** Ask again. */
  again?: () => void;
  /** Read no more of it. */
  leave?: () => void;
}

export class Asked<T> {
  readonly what: string;
  readonly #result: UseQueryResult<T>;
  readonly #before: T | undefined;

  /** `before` is the answer to the question before, which stands as long as this one has failed. */
  constructor(what: string, result: UseQueryResult<T>, before?: T) {
    this.what = what;
    this.#result = result;
    this.#before = before;
  }

  /** It failed. What was there before it was asked for again may still be shown. */
  get failed(): string | null {
    return this.#result.error?.message ?? null;
  }

  /** It is on its way. */
  get asking(): boolean {
    return this.#result.isFetching;
  }

  /** What is known is the answer to this question, and not to the one before. */
  get answered(): boolean {
    return this.#result.data !== undefined && !this.#result.isPlaceholderData;
  }

  readonly again = (): void => void this.#result.refetch();

  /** What is known of it; for those alone who say what is not. */
  static known<T>(asked: Asked<T>): T | undefined {
    return asked.#result.data ?? asked.#before;
  }
}

type Question<T> = Omit<UseQueryOptions<T, Error, T, QueryKey>, "retry" | "retryOnMount">;

/** Where nobody answered it is asked again by itself; where the server refused, by a press. */
function patient<T>(question: Question<T>): UseQueryOptions<T, Error, T, QueryKey> {
  const { refetchInterval } = question;
  return {
    ...question,
    refetchInterval: (query) =>
      isSilent(query.state.error)
        ? RECOVERS_MS
        : typeof refetchInterval === "function"
          ? refetchInterval(query)
          : refetchInterval,
  };
}

function isSilent(error: Error | null): boolean {
  return error instanceof Refusal && (error.status === 0 || error.status === 503);
}

/** What fails for a moment alone is not said; what is not allowed, or waited for long enough, is said at once. */
export function asksOnceMore(failures: number, error: Error): boolean {
  return failures < 1 && !(error instanceof Refusal && (error.status < 500 || error.status === 503));
}

export function useAsked<T>(what: string, question: Question<T>): Asked<T> {
  const result = useQuery<T, Error, T, QueryKey>(patient(question));
  const last = useRef<T>(undefined);
  if (result.data !== undefined) last.current = result.data;
  return new Asked<T>(what, result, question.placeholderData && result.error ? last.current : undefined);
}

/** Several questions of a kind; the list is the same one as long as nothing came. */
export function useAskedEach<T>(what: string, questions: readonly Question<T>[]): readonly Asked<T>[] {
  const results = useQueries({ queries: questions.map(patient), combine: asTheyAre }) as UseQueryResult<T>[];
  return useMemo(() => results.map((result) => new Asked<T>(what, result)), [what, results]);
}

function asTheyAre<T>(results: T): T {
  return results;
}

/** A room: what is not known in it, by the part that wants it. */
type Room = StoreApi<ReadonlyMap<string, Standing>>;

export const newRoom = (): Room => createStore<ReadonlyMap<string, Standing>>(() => new Map());

export const InRoom = createContext<Room | null>(null);

export function useRoom(): Room {
  const room = useContext(InRoom);
  if (!room) throw new Error("what is asked for in no room could fail unsaid");
  return room;
}

/** The answer, where it is known; the room says why where it is not. It must not be taken for none. */
export function useAnswer<T>(asked: Asked<T>): T | undefined {
  useTold(
    asked.failed !== null || (asked.asking && !asked.answered)
      ? { what: asked.what, failed: asked.failed, again: asked.again }
      : null,
  );
  return Asked.known(asked);
}

/** The answer, where what fails is said in another place, which is named. */
export function saidIn<T>(_place: string, asked: Asked<T> | undefined): T | undefined {
  return asked && Asked.known(asked);
}

/** The answers that are known. */
export function useAnswers<T>(all: readonly Asked<T>[]): readonly T[] {
  const failed = all.filter((asked) => asked.failed !== null);
  const first = failed[0] ?? all.find((asked) => asked.asking && !asked.answered);
  useTold(
    first
      ? {
          what: first.what,
          failed: first.failed,
          again: () => {
            for (const asked of failed) asked.again();
          },
        }
      : null,
  );
  return useMemo(() => all.flatMap((asked) => Asked.known(asked) ?? []), [all]) as readonly T[];
}

/** Something done by a press, which may fail: the room says so until it is done or put away. */
export function useDone<I = void>(what: string, does: (input: I) => Promise<void>) {
  const done = useMutation({ mutationFn: does });
  useTold(done.error && refused(what, done.error, done.reset));
  return done;
}

/** What was done and refused, as a room keeps it. */
export function refused(what: string, error: Error, leave: () => void): Standing {
  return { what, failed: error.message, stage: error instanceof Refusal ? error.stage : "", leave };
}

/** Tell the room what stands in the way, as long as it does. */
export function useTold(standing: Standing | null): void {
  const room = useRoom();
  const id = useId();
  const { what, failed = null, stage = "", again, leave } = standing ?? {};
  // What is done then is what the last of them would do.
  const ways = useRef({ again, leave });
  ways.current = { again, leave };
  const [canAsk, canLeave] = [Boolean(again), Boolean(leave)];
  useEffect(() => {
    if (what === undefined) return;
    const told: Standing = {
      what,
      failed,
      stage,
      ...(canAsk && { again: () => ways.current.again?.() }),
      ...(canLeave && { leave: () => ways.current.leave?.() }),
    };
    room.setState((all) => new Map(all).set(id, told), true);
    return () => room.setState((all) => new Map([...all].filter(([other]) => other !== id)), true);
  }, [room, id, what, failed, stage, canAsk, canLeave]);
}
