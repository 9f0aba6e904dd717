/** Pages to publish: the true page in the middle, its elements dragged on it, and beside it what cannot be dragged. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import type { Areas, Shapes } from "../api/bulk";
import type { Study, View } from "../api/client";
import { useSize } from "../map/gestures";
import { coloured } from "../map/look";
import { SmallPicture } from "../map/SmallPicture";
import { smallMapsOf, useSmallMaps } from "../map/small";
import { Unanswered } from "../parts/Answer";
import { Link } from "../parts/parts";
import type { FigurePlan } from "../plan/types";
import { useAnswer } from "../state/asked";
import { type FigureView, useFigureChanges, useFigures, usePreview } from "../state/figures";
import { useParts } from "../state/store";
import { useSmall } from "../state/window";
import { INK, MADDER, PAPER, QUIET, RULE, WATER } from "../theme";
import { Elements } from "./Elements";
import { PageForm } from "./PageForm";

const NO_FIGURES: readonly FigureView[] = [];

interface FigurePageProps {
  study: Study;
  view: View;
  areas: Areas;
  shapes: Shapes;
}

export function FigurePage({ study, view, areas, shapes }: FigurePageProps) {
  const { set } = useParts("set");
  const figures = useAnswer(useFigures(study));
  const { add, change, remove } = useFigureChanges(study);
  const [chosen, setChosen] = useState<string | null>(null);
  const all = figures ?? NO_FIGURES;
  // What is on the map may still be of the version before.
  const head = study.head_id ?? view.version;
  const figure = all.find((f) => f.id === chosen) ?? all[0];
  const begin = () =>
    add.mutate(
      { name: view.plan.show.title || view.measure, version: head, document: {} },
      { onSuccess: (added) => setChosen(added.id) },
    );
  // Whoever comes here without a page wants one; whoever takes the last out does not.
  const came = useRef(false);
  const none = figures?.length === 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when it is known that there is none
  useEffect(() => {
    if (none && !came.current) begin();
    if (figures) came.current = true;
  }, [none, figures]);
  const error = add.error ?? change.error ?? remove.error;
  return (
    <Box
      component="section"
      aria-label="Pages to publish"
      sx={{
        position: "absolute",
        inset: 0,
        zIndex: 3,
        bgcolor: PAPER,
        display: "flex",
        flexDirection: "column",
        px: 2,
        py: 1,
        gap: 0.75,
      }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 2, flexWrap: "wrap" }}>
        <Typography variant="h2">Pages to publish</Typography>
        <Box
          role="group"
          aria-label="Pages"
          sx={{ display: "flex", gap: 1.5, flexWrap: "wrap", flexGrow: 1 }}
        >
          {all.map((f) => (
            <ButtonBase
              key={f.id}
              aria-pressed={f === figure}
              onClick={() => setChosen(f.id)}
              sx={{
                font: "inherit",
                maxWidth: 240,
                overflow: "hidden",
                textOverflow: "ellipsis",
                whiteSpace: "nowrap",
                borderBottom: `2px solid ${f === figure ? INK : "transparent"}`,
              }}
            >
              {f.name}
            </ButtonBase>
          ))}
          {figures && <Link onClick={begin}>{all.length ? "another page" : "begin a page"}</Link>}
        </Box>
        <Button size="small" onClick={() => set({ figuring: false })}>
          Back to the map
        </Button>
      </Box>
      {error && (
        <Box role="alert" sx={{ color: MADDER }}>
          {error.message}
        </Box>
      )}
      <Unanswered />
      {figure ? (
        <Page
          key={figure.id}
          study={study}
          figure={figure}
          asItIs={<AsItIs view={view} areas={areas} shapes={shapes} />}
          present={head}
          put={(part) => change.mutate({ ...pick(figure), ...part })}
          remove={() => remove.mutate(figure.id, { onSuccess: () => setChosen(null) })}
        />
      ) : add.isPending ? (
        <Box
          sx={{ flex: 1, minHeight: 0, position: "relative", bgcolor: WATER, border: `1px solid ${RULE}` }}
        >
          <AsItIs view={view} areas={areas} shapes={shapes} />
        </Box>
      ) : (
        figures && (
          <Box sx={{ color: QUIET, maxWidth: 520 }}>
            A page is drawn from the plan as it is now: map, legend, boxes, and what must be said of them.{" "}
            <Link onClick={begin}>begin a page</Link>
          </Box>
        )
      )}
    </Box>
  );
}

function pick({ id, name, version, document }: FigureView) {
  return { id, name, version, document };
}

/** How wide a picture of the page is asked for, at least and at most. */
const [LEAST_PIXELS, MOST_PIXELS] = [200, 2_400];

function Page(props: {
  study: Study;
  figure: FigureView;
  /** What stands in the page's place until it is drawn for the first time. */
  asItIs: ReactNode;
  present: string;
  put: (part: Partial<Pick<FigureView, "name" | "version" | "document">>) => void;
  remove: () => void;
}) {
  const { study, figure, present, put } = props;
  const ref = useRef<HTMLDivElement>(null);
  const size = useSize(ref);
  const ratio = window.devicePixelRatio || 1;
  const wide = size ? Math.round(Math.min(size.width, 1.5 * size.height) * ratio) : 0;
  const pixels = size ? Math.min(Math.max(wide, LEAST_PIXELS), MOST_PIXELS) : 0;
  const [at, setAt] = useState(0);
  const small = useSmall();
  const { page, drawing } = usePreview(study, figure, pixels, figure.document.series ? at : 0);
  const scale = page && size ? Math.min(size.width / page.width, size.height / page.height) : 0;
  const change = (document: FigurePlan) => put({ document });
  return (
    <Box
      sx={{
        display: "flex",
        gap: 2,
        flex: 1,
        minHeight: 0,
        ...(small && { flexDirection: "column", overflowY: "auto" }),
      }}
    >
      <Box
        sx={{
          flex: small ? "none" : 1,
          height: small ? 300 : undefined,
          minWidth: 0,
          display: "flex",
          flexDirection: "column",
          gap: 0.5,
        }}
      >
        {page && page.pages.length > 0 && (
          <Leaf pages={page.pages} at={Math.min(at, page.pages.length - 1)} onTurn={setAt} />
        )}
        <Box
          ref={ref}
          sx={{ flex: 1, minHeight: 0, position: "relative", bgcolor: WATER, border: `1px solid ${RULE}` }}
        >
          {!page && drawing && props.asItIs}
          {page && (
            <Box
              data-testid="page"
              data-still={String(!drawing)}
              sx={{
                position: "absolute",
                left: "50%",
                top: "50%",
                transform: "translate(-50%, -50%)",
                boxShadow: "0 0 0 1px #1f2933",
              }}
              style={{ width: page.width * scale, height: page.height * scale }}
            >
              <img
                src={`data:image/png;base64,${page.picture}`}
                alt={`The page: ${figure.name}`}
                style={{ width: "100%", height: "100%", display: "block" }}
              />
              <Elements page={page} scale={scale} document={figure.document} change={change} />
            </Box>
          )}
          {drawing && (
            <Box
              role="status"
              sx={{ position: "absolute", right: 8, bottom: 4, color: QUIET, fontSize: "0.8125rem" }}
            >
              Drawing it…
            </Box>
          )}
        </Box>
      </Box>
      <Box sx={{ width: small ? "auto" : 290, flexShrink: 0, overflowY: "auto", pr: 0.5 }}>
        {figure.moved_on && (
          <Box sx={{ color: MADDER, fontSize: "0.8125rem", mb: 1 }}>
            The plan has changed since this page was made from it.{" "}
            <Link onClick={() => put({ version: present })}>make it from the present plan</Link>
          </Box>
        )}
        <PageForm
          study={study}
          figure={figure}
          page={page}
          change={change}
          rename={(name) => put({ name })}
          remove={props.remove}
        />
      </Box>
    </Box>
  );
}

/** The map as it is now, in the middle of what there is room for. */
function AsItIs({ view, areas, shapes }: Omit<FigurePageProps, "study">) {
  const ref = useRef<HTMLDivElement>(null);
  const size = useSize(ref);
  const maps = useMemo(() => {
    if (!size) return null;
    const colours = view.bands.map((b) => b.colour);
    const frame = { width: Math.floor(size.width), height: Math.floor(size.height) };
    return smallMapsOf(view, areas, shapes, frame, [coloured(view, areas, (i) => areas.own[i], colours)]);
  }, [size, view, areas, shapes]);
  const [picture] = useSmallMaps(shapes, maps);
  return (
    <Box ref={ref} data-testid="as it is" sx={{ position: "absolute", inset: 0, overflow: "hidden" }}>
      {size && <SmallPicture picture={picture} width={size.width} height={size.height} />}
    </Box>
  );
}

/** Which page of a series is seen, and the way to the others. */
function Leaf({ pages, at, onTurn }: { pages: string[]; at: number; onTurn: (at: number) => void }) {
  return (
    <Box
      role="group"
      aria-label="Pages of the series"
      sx={{ display: "flex", gap: 1.5, fontSize: "0.8125rem" }}
    >
      <Link onClick={() => onTurn(Math.max(at - 1, 0))}>before</Link>
      <Box sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
        {at + 1} of {pages.length}: {pages[at]}
      </Box>
      <Link onClick={() => onTurn(Math.min(at + 1, pages.length - 1))}>next</Link>
    </Box>
  );
}
