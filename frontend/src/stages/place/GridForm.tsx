/** A grid while it is sized: every change is counted and drawn at once; other sizes can be held beside it. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import IconButton from "@mui/material/IconButton";
import { useEffect, useRef, useState } from "react";
import { type GridTrial, resultsOf } from "../../api/bulk";
import { postJson, type Schemas, type View } from "../../api/client";
import { figure, whole } from "../../format";
import { isLaid } from "../../map/overlays";
import { Answer } from "../../parts/Answer";
import { Field, Pick } from "../../parts/Fields";
import { Link, Quiet } from "../../parts/parts";
import {
  aboveZero,
  COMPARED,
  type Corners,
  converted,
  FRESH,
  gridOf,
  ofSource,
  SHAPES,
  shaped,
  shapeOf,
  sizeText,
  stepped,
  UNITS,
  withAreas,
} from "../../plan/place";
import type { Grid, Place } from "../../plan/types";
import { parsed } from "../../records";
import { type Asked, saidIn, useAnswer, useDone } from "../../state/asked";
import { useFirstSize, useSources, useTrials } from "../../state/queries";
import { useDoing, useParts } from "../../state/store";
import { INK, MADDER, QUIET, RULE } from "../../theme";
import type { PlaceProps } from "./props";

const OUTLINE = " outline";
const EXTENT = " extent";
const WAIT_MS = 120;

export function GridForm(props: PlaceProps) {
  // A grid that lies already has its size, whatever becomes of it.
  const laid = props.view.plan.place.areas.kind === "grid";
  return laid ? <Sizing {...props} first={FRESH} /> : <Proposed {...props} />;
}

/** Cells over zones begin as wide as the events ask for. */
function Proposed(props: PlaceProps) {
  return <Answer of={useFirstSize(props.view)}>{(first) => <Sizing {...props} first={first} />}</Answer>;
}

function Sizing({ study, view, save, first }: PlaceProps & { first: Pick<Grid, "size" | "unit"> }) {
  const zones = useAnswer(useSources(study))?.filter((s) => s.role === "zones");
  const { tried, held, outline, outlineFor, set } = useParts("tried", "held", "outline", "outlineFor", "set");
  const laid = view.plan.place.areas;
  const [grid, setGrid] = useState<Grid>(() => gridOf(tried?.areas ?? laid, first));
  const [size, setSize] = useState(String(grid.size));
  const [height, setHeight] = useState(String(grid.height ?? grid.size));
  const sound = aboveZero(size) !== null && (grid.shape !== "rectangle" || aboveZero(height) !== null);
  const place = view.plan.place;
  // What is being sized is counted once the hand rests.
  useEffect(() => {
    if (!sound) return;
    const timer = setTimeout(() => set({ tried: { ...place, areas: grid } }), WAIT_MS);
    return () => clearTimeout(timer);
  }, [grid, sound, place, set]);
  useEffect(() => () => set({ tried: null }), [set]);
  // An outline that was drawn or changed on the map belongs to the grid that is being sized.
  const cover = JSON.stringify(laid.kind === "grid" ? laid.cover : null);
  useEffect(() => {
    const drawn = parsed(cover) as Extract<typeof grid.cover, { corners: unknown }> | null;
    if (drawn?.corners) setGrid((g) => ({ ...g, cover: drawn }));
  }, [cover]);
  // What the plan has come to have by another way, as by a step back, is what is sized from here.
  const had = JSON.stringify(laid.kind === "grid" ? laid : null);
  const before = useRef(had);
  useEffect(() => {
    const now = parsed(had) as Grid | null;
    if (had === before.current) return;
    before.current = had;
    if (!now) return;
    setGrid(now);
    setSize(String(now.size));
    setHeight(String(now.height ?? now.size));
  }, [had]);
  const alter = (change: Partial<Grid>) => {
    const next = { ...grid, ...change };
    setGrid(next);
    if (change.size !== undefined) setSize(String(next.size));
    if (change.height !== undefined) setHeight(String(next.height));
  };
  const typed = (text: string, which: "size" | "height") => {
    (which === "size" ? setSize : setHeight)(text);
    const n = aboveZero(text);
    if (n !== null) setGrid({ ...grid, [which]: n });
  };
  const trials = useTrials(view, tried ? [tried, ...held] : []);
  const now = tried ? trials[0] : undefined;
  const same = isLaid({ areas: grid }, place);
  const covered = grid.cover === null ? EXTENT : (grid.cover.source ?? OUTLINE);
  return (
    <Box
      component="form"
      aria-label="Grid"
      onSubmit={(event) => {
        event.preventDefault();
        if (sound && !now?.failed) save((plan) => withAreas(plan, grid));
      }}
    >
      <Pick label="Cells" value={shapeOf(grid)} options={SHAPES} onChange={(s) => alter(shaped(grid, s))} />
      <Box sx={{ display: "flex", gap: 0.5, alignItems: "center" }}>
        <IconButton size="small" aria-label="Smaller" onClick={() => alter(scaled(grid, false))}>
          −
        </IconButton>
        <Field label={sizeLabel(grid)} value={size} onChange={(text) => typed(text, "size")} />
        {grid.shape === "rectangle" && (
          <Field label="Height" value={height} onChange={(text) => typed(text, "height")} />
        )}
        <IconButton size="small" aria-label="Larger" onClick={() => alter(scaled(grid, true))}>
          +
        </IconButton>
        <Box sx={{ width: 92, flexShrink: 0 }}>
          <Pick
            label="Unit"
            value={grid.unit}
            options={UNITS.map((u) => [u, grid.measured === "area" ? `${u}²` : u] as const)}
            onChange={(unit) => alter(converted(grid, unit))}
          />
        </Box>
      </Box>
      {!sound && <Quiet colour={MADDER}>A size is a number above 0.</Quiet>}
      {grid.shape !== "rectangle" && (
        <Pick
          label="Measured as"
          value={grid.measured}
          options={[
            ["width", grid.shape === "hexagon" ? "width across the flats" : "width"],
            ["side", "length of a side"],
            ["area", "area"],
          ]}
          onChange={(measured) => alter({ measured })}
        />
      )}
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Button
          type="submit"
          size="small"
          variant="contained"
          disableElevation
          disabled={!sound || same || Boolean(now?.failed)}
        >
          Lay this grid
        </Button>
        <Button
          size="small"
          variant="outlined"
          disabled={!tried || held.length >= COMPARED.length - 1 || Boolean(now?.failed)}
          onClick={() => tried && set({ held: [...held, tried] })}
        >
          Hold it to compare
        </Button>
      </Box>
      {/* Below the buttons: what comes in must not move them from under the hand. */}
      <Trials trials={trials} tried={tried} held={held} />
      <Pick
        label="It covers"
        value={covered}
        options={[
          ...(zones?.map((z) => [z.name, z.name] as const) ?? []),
          [EXTENT, "the extent of the events"],
          [OUTLINE, "an outline drawn on the map"],
        ]}
        onChange={(c) =>
          c === OUTLINE
            ? set({ outline: [], outlineFor: "cover" })
            : alter({ cover: c === EXTENT ? null : ofSource(c) })
        }
      />
      {(covered === OUTLINE || (outline && outlineFor === "cover")) && (
        <EditOutline view={view} corners={grid.cover?.corners ?? undefined} />
      )}
      {grid.cover !== null && (
        <>
          <Pick
            label="Cells that stay"
            value={grid.keep}
            options={[
              ["touching", "those that touch what it covers"],
              ["centre", "those with their middle inside"],
              ["all", "all of the extent"],
            ]}
            onChange={(keep) => alter({ keep })}
          />
          <FormControlLabel
            label="count only what lies inside"
            control={
              <Checkbox
                size="small"
                checked={grid.cut}
                onChange={(event) => alter({ cut: event.target.checked })}
              />
            }
          />
          {grid.cut && <Thin grid={grid} alter={alter} />}
        </>
      )}
      <Origin grid={grid} alter={alter} />
    </Box>
  );
}

function sizeLabel(grid: Grid): string {
  if (grid.shape === "rectangle") return "Width";
  return grid.measured === "area" ? "Area" : grid.measured === "side" ? "Side" : "Width";
}

function scaled(grid: Grid, up: boolean): Partial<Grid> {
  const size = stepped(grid.size, up);
  const by = size / grid.size;
  return { size, ...(grid.height === null ? {} : { height: Number((grid.height * by).toPrecision(3)) }) };
}

/** The figures of the grid that is being sized, and of those held, each with the colour of its lines on the map. */
function Trials(props: { trials: readonly Asked<GridTrial>[]; tried: Place | null; held: readonly Place[] }) {
  const { trials, tried, held } = props;
  const set = useDoing((d) => d.set);
  const places = tried ? [tried, ...held] : [];
  const sized = saidIn("its row of the table", trials.at(0));
  return (
    <Box
      component="table"
      aria-label="Sizes"
      sx={{
        width: "100%",
        borderCollapse: "collapse",
        mt: 1,
        fontSize: "0.8125rem",
        "& td, & th": { textAlign: "right", fontWeight: 400, py: 0.25, pl: 1, verticalAlign: "bottom" },
        "& th:first-of-type, & td:first-of-type": { textAlign: "left", pl: 0 },
      }}
    >
      <thead>
        <Box component="tr" sx={{ color: QUIET, borderBottom: `1px solid ${INK}` }}>
          <th>size</th>
          <th>cells</th>
          <th>empty</th>
          <th>events per occupied cell</th>
        </Box>
      </thead>
      <tbody>
        {places.map((place, i) => {
          const trial = trials.at(i);
          return (
            <Box
              component="tr"
              // biome-ignore lint/suspicious/noArrayIndexKey: a size that is tried may equal one that is held
              key={`${i} ${JSON.stringify(place.areas)}`}
              sx={{ borderBottom: `1px solid ${RULE}` }}
            >
              <td>
                <span aria-hidden style={{ color: COMPARED[i], fontWeight: 700 }}>
                  ▬{" "}
                </span>
                {place.areas.kind === "grid" && sizeText(place.areas)}
                {i > 0 && (
                  <>
                    {" "}
                    <Link onClick={() => set({ held: held.filter((h) => h !== place) })}>let go</Link>
                  </>
                )}
              </td>
              <Tried of={trial} />
            </Box>
          );
        })}
        {sized?.warnings.map((warning) => (
          <tr key={warning}>
            <td colSpan={4} style={{ color: MADDER }}>
              {warning}
            </td>
          </tr>
        ))}
        {sized && !sized.drawn && (
          <tr>
            <td colSpan={4}>Its lines are drawn once it is laid.</td>
          </tr>
        )}
      </tbody>
    </Box>
  );
}

/** The cells of a row. A size that cannot be laid says why in their place. */
function Tried({ of }: { of: Asked<GridTrial> | undefined }) {
  const trial = saidIn("this row", of);
  if (trial)
    return (
      <>
        <td data-trial="cells">{whole(trial.cells)}</td>
        <td data-trial="empty">{Math.round(100 * trial.emptyShare)} %</td>
        <td data-trial="events">{figure(trial.eventsPerOccupied)}</td>
      </>
    );
  return (
    <td colSpan={3}>
      {of?.failed ? (
        <span role="alert" style={{ color: MADDER }}>
          {of.failed} <Link onClick={of.again}>Try again</Link>
        </span>
      ) : (
        <span role="status">Counting…</span>
      )}
    </td>
  );
}

function Thin({ grid, alter }: { grid: Grid; alter: (change: Partial<Grid>) => void }) {
  const [text, setText] = useState(grid.least_inside ? String(100 * grid.least_inside) : "");
  const typed = (value: string) => {
    setText(value);
    const share = value.trim() === "" ? 0 : Number(value) / 100;
    if (Number.isFinite(share) && share >= 0 && share < 1) alter({ least_inside: share });
  };
  return (
    <Box sx={{ display: "flex", gap: 1 }}>
      <Field label="Less than … % inside" value={text} placeholder="0" onChange={typed} />
      <Pick
        label="Such cells are"
        value={grid.thin}
        options={[
          ["mark", "marked unreliable"],
          ["merge", "joined to a neighbour"],
        ]}
        onChange={(thin) => alter({ thin })}
      />
    </Box>
  );
}

/** Where the grid is anchored, and how it is turned: fixed in the plan, so that next month gives the same cells. */
function Origin({ grid, alter }: { grid: Grid; alter: (change: Partial<Grid>) => void }) {
  const [open, setOpen] = useState(grid.turn !== 0 || grid.origin.some((v: number) => v !== 0));
  const [text, setText] = useState({
    turn: String(grid.turn),
    east: String(grid.origin[0]),
    north: String(grid.origin[1]),
  });
  const typed = (part: "turn" | "east" | "north", value: string) => {
    const next = { ...text, [part]: value };
    setText(next);
    const [turn, east, north] = [next.turn, next.east, next.north].map((t) => Number(t || 0));
    if ([turn, east, north].every(Number.isFinite) && Math.abs(turn) <= 180)
      alter({ turn, origin: [east, north] });
  };
  if (!open)
    return (
      <Quiet>
        <Link onClick={() => setOpen(true)}>Turn the grid, or move its origin</Link>
      </Quiet>
    );
  return (
    <Box sx={{ display: "flex", gap: 1 }}>
      <Field label="Turned, degrees" value={text.turn} onChange={(v) => typed("turn", v)} />
      <Field label="Origin east, m" value={text.east} onChange={(v) => typed("east", v)} />
      <Field label="Origin north, m" value={text.north} onChange={(v) => typed("north", v)} />
    </Box>
  );
}

function EditOutline({ view, corners }: { view: View; corners: Corners | undefined }) {
  const { outline, set } = useParts("outline", "set");
  const move = useDone("The corners", async () => {
    const answer = await postJson<Schemas["PlanePoints"]>(`${resultsOf(view)}/plane`, {
      points: corners,
    });
    set({ outline: answer.points as Corners, outlineFor: "cover" });
  });
  if (outline) return <Quiet>Click corners on the map and drag them; Enter ends the outline.</Quiet>;
  return (
    <Quiet>
      {corners && (
        <>
          <Link onClick={() => move.mutate()}>Move its corners</Link>
          {" · "}
        </>
      )}
      <Link onClick={() => set({ outline: [], outlineFor: "cover" })}>Draw it anew</Link>
    </Quiet>
  );
}
